import type { Touches } from '../drift';

/** What becomes of drift: it is told, or put back by itself, at first perhaps only where all units are alike. */
export const STANCES = ['watch', 'hold common', 'hold'] as const;
export type Stance = (typeof STANCES)[number];
export const STANCE_WORDS: Readonly<Record<Stance, string>> = {
	watch: 'watch: tell what drifted',
	'hold common': 'hold what is common: put back by itself what no value of the place’s own stands in',
	hold: 'hold: put it back by itself'
};

/** A unit that is new at its place is watched so long, whatever its site or customer is held to. */
export const NEW_FOR_MS = 3 * 86_400_000;
/** One that was as intended for so long can well be held. */
export const CLEAN_FOR_MS = 7 * 86_400_000;

/** What a unit has of its own and what it has from its site and customer; `since`: when it came online here, in ms. */
export interface Stated {
	readonly own: Stance | null;
	readonly site: Stance | null;
	readonly customer: Stance | null;
	readonly since: number;
}

/** How a unit is looked after at a moment: its own stance at once, one from further out only when it is new no more. */
export function stanceOf(
	{ own, site, customer, since }: Stated,
	now: number
): { readonly stance: Stance; readonly from: 'unit' | 'site' | 'customer' | 'usual' | 'new' } {
	if (own) return { stance: own, from: 'unit' };
	const further = site ?? customer;
	if (!further) return { stance: 'watch', from: 'usual' };
	if (further !== 'watch' && now - since < NEW_FOR_MS) return { stance: 'watch', from: 'new' };
	return { stance: further, from: site ? 'site' : 'customer' };
}

/** What nobody looks at before it is sent must not touch the way to the unit, nor who gets in over it. */
export const mayBePutBack = (touches: Touches): boolean =>
	touches === 'security' || touches === 'nothing of these';
