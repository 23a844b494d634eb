import * as v from 'valibot';
import { CHECK_KINDS, USUAL_LIMITS, type CheckKind, type ProofLimits } from './checks';

/** Limits as a profile or a pattern has them: what it says nothing of is as usual. */
const figure = (least: number, most: number) =>
	v.optional(v.pipe(v.number(), v.minValue(least), v.maxValue(most)));
export const givenLimitsSchema = v.strictObject({
	off: v.optional(v.array(v.picklist(Object.keys(CHECK_KINDS) as [CheckKind, ...CheckKind[]]))),
	loss: figure(0, 100),
	milliseconds: figure(1, 60_000),
	speed: figure(1, 1_000_000),
	least: figure(0, 65_535),
	seconds: figure(0, 3_600)
});
export type GivenLimits = v.InferOutput<typeof givenLimitsSchema>;

/** Figures that can be changed, with what they mean. */
export const LIMIT_FIGURES = [
	{ name: 'loss', words: 'Answers that may be lost', unit: '%' },
	{ name: 'milliseconds', words: 'There and back, at most', unit: 'ms' },
	{ name: 'speed', words: 'Speed of the uplink’s port, at least', unit: 'Mbit/s' },
	{ name: 'least', words: 'Addresses left for clients, at least', unit: '' },
	{ name: 'seconds', words: 'The clock may be off by', unit: 's' }
] as const satisfies readonly {
	readonly name: Exclude<keyof ProofLimits, 'off'>;
	readonly words: string;
	readonly unit: string;
}[];

/**
 * The limits that count at a position: the pattern's of its site before its profile's, and those before the usual ones.
 * What either has turned off is off.
 */
export function limitsAt(profile: GivenLimits | null, pattern: GivenLimits | null): ProofLimits {
	return {
		...USUAL_LIMITS,
		...profile,
		...pattern,
		off: [...new Set([...(profile?.off ?? []), ...(pattern?.off ?? [])])]
	};
}
