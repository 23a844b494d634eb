import { normalSerial, type Line } from '../intake';

/** A place that waits for its new unit. */
export interface OpenReplacement {
	readonly positionId: string;
	/** Of the unit that is to go. */
	readonly serial: string;
	readonly site: string;
	readonly position: string;
}
/** A claimed unit, as far as it can be meant for a place; `problem`: why it cannot. */
export interface NewUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly problem: string | null;
}
/** What became of a line. */
export type Paired = { readonly line: number; readonly serial: string } & (
	| { readonly ok: true; readonly unitId: string; readonly positionId: string }
	| { readonly ok: false; readonly why: string }
);

const same = (one: string, other: string) => one.trim().toLowerCase() === other.trim().toLowerCase();

/**
 * Which new unit is meant for which place. A line has the new serial number first; then the serial number that it replaces, or
 * a site, or a site and a position there. Lines that name a place come before those that do not; these get what is left, in the
 * order of `open`.
 * Laws: each unit and each place once at most; each line is answered, in order; a line that names a place never gets another.
 */
export function pairUp(
	lines: readonly Line[],
	open: readonly OpenReplacement[],
	units: readonly NewUnit[]
): readonly Paired[] {
	const unitBy = new Map(units.map((unit) => [unit.serial, unit]));
	const left = new Map(open.map((place) => [place.positionId, place]));
	const bySerial = new Map(open.map((place) => [place.serial, place]));
	const bySite = new Map<string, OpenReplacement[]>();
	for (const place of open) {
		const key = place.site.trim().toLowerCase();
		const known = bySite.get(key);
		if (known) known.push(place);
		else bySite.set(key, [place]);
	}
	const used = new Set<string>();
	const take = (line: number, unit: NewUnit, place: OpenReplacement | undefined, why: string): Paired => {
		if (!place || !left.has(place.positionId)) return { line, serial: unit.serial, ok: false, why };
		left.delete(place.positionId);
		used.add(unit.unitId);
		return { line, serial: unit.serial, ok: true, unitId: unit.unitId, positionId: place.positionId };
	};
	const named = (line: number, unit: NewUnit, [first = '', second = '']: readonly string[]): Paired => {
		const old = bySerial.get(normalSerial(first));
		if (old && second === '') return take(line, unit, old, `${old.serial} has its new unit already.`);
		const there = bySite.get(first.trim().toLowerCase()) ?? [];
		if (there.length === 0) return take(line, unit, undefined, `Nothing to replace is called “${first}”.`);
		const waiting = there.filter(({ positionId, position }) =>
			second === '' ? left.has(positionId) : same(position, second)
		);
		if (waiting.length === 0)
			return take(
				line,
				unit,
				undefined,
				`Nothing waits for a unit at “${first}”${second ? `, “${second}”` : ''}.`
			);
		return waiting.length > 1
			? take(line, unit, undefined, `More than one waits at “${first}”: name the position too.`)
			: take(line, unit, waiting[0], `${waiting[0]!.position} at “${first}” has its new unit already.`);
	};
	const answered = new Map<number, Paired>();
	const ask = (each: (line: number, unit: NewUnit, where: readonly string[]) => Paired | null) => {
		for (const { line, cells } of lines) {
			if (answered.has(line)) continue;
			const [given = '', ...where] = cells;
			const serial = normalSerial(given);
			const unit = unitBy.get(serial);
			const refused = !unit
				? 'No unit of this customer has this serial number. Claim it first.'
				: used.has(unit.unitId)
					? 'It stands here twice.'
					: unit.problem;
			const found = refused ? ({ line, serial, ok: false, why: refused } as const) : each(line, unit!, where);
			if (found) answered.set(line, found);
		}
	};
	ask((line, unit, where) => (where.some((cell) => cell !== '') ? named(line, unit, where) : null));
	const inOrder = open.values();
	ask((line, unit) => {
		let next = inOrder.next();
		while (!next.done && !left.has(next.value.positionId)) next = inOrder.next();
		return take(line, unit, next.value, 'No place is left that waits for a unit.');
	});
	return lines.map(({ line }) => answered.get(line)!);
}
