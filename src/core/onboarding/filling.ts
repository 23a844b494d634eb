import { group } from 'd3';

/** An open position that units can fill, as far as choosing among such needs. */
export interface OpenPlace {
	readonly id: string;
	readonly name: string;
	readonly siteName: string;
	readonly roleId: string;
	/** The site's appointment, in milliseconds since 1970; null when none is agreed. */
	readonly appointmentAt: number | null;
}
/** A claimed unit without a position. */
export interface FreeUnit {
	readonly id: string;
	readonly serial: string;
	readonly modelId: string;
}
/** New units of a model fill open positions of a role, nearest appointment first; `held` ones wait for approval. */
export interface FillingRule {
	readonly id: string;
	readonly modelId: string;
	readonly roleId: string;
	readonly held: boolean;
}
export interface Filling {
	readonly unitId: string;
	readonly positionId: string;
	readonly ruleId: string;
	readonly held: boolean;
}

const byText = (one: string, other: string) => (one < other ? -1 : one > other ? 1 : 0);

/** Which of two open positions is filled first: whose appointment is nearer to now; those without one come last, by name. */
export const nearestFirst =
	(now: number) =>
	(one: OpenPlace, other: OpenPlace): number => {
		const far = ({ appointmentAt }: OpenPlace) =>
			appointmentAt === null ? Infinity : Math.abs(appointmentAt - now);
		const [a, b] = [far(one), far(other)];
		return (a === b ? 0 : a - b) || byText(one.siteName, other.siteName) || byText(one.name, other.name);
	};

/**
 * Which unit fills which position by the rules of a customer. A unit of which two rules speak follows the
 * first that has a position left.
 * Laws: each unit and each position once at most; a filling is of its rule's model and role; no position
 * stays open that is nearer than a filled one of the same role, while a unit is left that a rule would put
 * there; the order in which units and positions are given does not matter.
 */
export function fillByRules(
	units: readonly FreeUnit[],
	places: readonly OpenPlace[],
	rules: readonly FillingRule[],
	now: number
): readonly Filling[] {
	const waiting = group([...places].sort(nearestFirst(now)).reverse(), ({ roleId }) => roleId);
	const ordered = [...rules].sort(
		(a, b) => byText(a.modelId, b.modelId) || byText(a.roleId, b.roleId) || byText(a.id, b.id)
	);
	return [...units]
		.sort((a, b) => byText(a.serial, b.serial) || byText(a.id, b.id))
		.flatMap(({ id, modelId }) => {
			const rule = ordered.find((one) => one.modelId === modelId && waiting.get(one.roleId)?.length);
			const place = rule && waiting.get(rule.roleId)!.pop()!;
			return rule && place ? [{ unitId: id, positionId: place.id, ruleId: rule.id, held: rule.held }] : [];
		});
}
