import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { SLOT_MS, type Figures } from '../../src/core/health';
import { database } from '../../src/lib/server/database';
import { gatherDays, keepHealth } from '../../src/lib/server/health';
import { conditionAt, rateAt } from '../../standins/units/load';

/**
 * How the demo's units did in the last three weeks, as if Limen had been there: by the same rules by which the stand-ins
 * live. Only of those that are online from the start.
 */
const DAYS = 21;
const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
const ROWS_AT_ONCE = 1_000;
/** An hour is told by so many moments of it. */
const MOMENTS = 3;

interface Past {
	readonly unitId: string;
	readonly customerId: string;
	readonly serial: string;
	readonly modelId: string;
	readonly uplink: string;
	readonly site: string;
}
interface Away {
	readonly from: number;
	readonly to: number;
	readonly planned: string;
}
type YardUnit = { readonly serial: string; readonly powered: boolean; readonly faults?: readonly string[] };

const json = (name: string) => JSON.parse(readFileSync(new URL(`../../demo/${name}`, import.meta.url), 'utf8'));
const chance = (...words: readonly (string | number)[]): number =>
	createHash('md5').update(words.join(' ')).digest().readUInt32BE() / 2 ** 32;

export async function loadHealth(): Promise<void> {
	const now = Date.now();
	const from = Math.floor(now / DAY_MS - DAYS) * DAY_MS;
	await keepHealth(new Date(from));
	const well = (json('yard.json') as YardUnit[]).flatMap(({ serial, powered, faults = [] }) =>
		powered && faults.length === 0 ? [serial] : []
	);
	const { rows } = await database().raw(
		`update binding set bound_at = :from::timestamptz from unit, position, site
		where unit.id = binding.unit_id and position.id = binding.position_id and site.id = position.site_id and serial = any (:well::text[])
		returning unit.id as "unitId", binding.customer_id as "customerId", serial, unit.model_id as "modelId", site.uplink, site.name as site`,
		{ from: new Date(from), well }
	);
	const units = rows as Past[];
	const ports = portsByModel();
	const hours: object[] = [];
	const readings: object[] = [];
	const absences: object[] = [];
	const thisHour = Math.floor(now / HOUR_MS) * HOUR_MS;
	for (const unit of units) {
		const away = absencesOf(unit, from, thisHour);
		const shared = { unit_id: unit.unitId, customer_id: unit.customerId };
		absences.push(
			...away.map(({ from: gone, to, planned }) => ({
				...shared,
				from_at: new Date(gone),
				to_at: new Date(to),
				planned
			}))
		);
		for (let at = from; at < thisHour; at += HOUR_MS)
			hours.push({
				...shared,
				at: new Date(at),
				...packed(hourOf(unit, ports.get(unit.modelId) ?? [], at, away))
			});
		for (let at = thisHour - 24 * HOUR_MS; at < now - SLOT_MS; at += SLOT_MS)
			if (!isAway(away, at))
				readings.push({
					...shared,
					at: new Date(at),
					...packed(momentOf(unit, ports.get(unit.modelId) ?? [], at))
				});
	}
	await database().transaction(async (trx) => {
		await trx.batchInsert('health_hour', hours, ROWS_AT_ONCE);
		await trx.batchInsert('health_reading', readings, ROWS_AT_ONCE);
		await trx.batchInsert('absence', absences, ROWS_AT_ONCE);
		await trx('health_gathered').insert({ grain: 'hour', until: new Date(thisHour) });
	});
	await gatherDays();
}

/** The way out and one port inside. */
function portsByModel(): ReadonlyMap<string, readonly string[]> {
	const packs = readdirSync(new URL('../../demo/packs/', import.meta.url)).map((name) => json(`packs/${name}`));
	return new Map(
		packs.flatMap(({ models }: { models: { id: string; ports: Record<string, string> }[] }) =>
			models.map(({ id, ports }) => [id, [...new Set(Object.values(ports))].slice(0, 2)] as const)
		)
	);
}

/** Lines fail now and then, those of copper more often, and with a line all units of its site; a unit was brought to a newer firmware in one night. */
function absencesOf({ serial, uplink, site }: Past, from: number, to: number): readonly Away[] {
	const found: Away[] = [];
	const often = uplink === 'fibre' ? 0.05 : 0.13;
	for (let day = from; day + DAY_MS < to; day += DAY_MS) {
		if (chance(site, 'line', day) < often) {
			const begun = day + chance(site, 'when', day) * 20 * HOUR_MS;
			const lasted = (3 + chance(site, 'how long', day) ** 4 * 170) * 60_000;
			found.push({ from: begun, to: begun + lasted + chance(serial, 'back', day) * 90_000, planned: '' });
		} else if (day === from + 9 * DAY_MS && chance(serial, 'firmware') < 0.4)
			found.push({ from: day + 13 * HOUR_MS, to: day + 13.07 * HOUR_MS, planned: 'change of firmware' });
	}
	return found;
}
const isAway = (away: readonly Away[], at: number): boolean =>
	away.some(({ from, to }) => from <= at && at < to);

function momentOf({ serial, modelId }: Past, ports: readonly string[], at: number): Figures {
	const { clients, signal, ...condition } = conditionAt(serial, at);
	return {
		...condition,
		trip: Math.round((8 + chance(serial, 'trip') * 40 + chance(serial, 'trip', at) * 12) * 10) / 10,
		...(modelId.startsWith('lf') && { clients }),
		...(modelId.startsWith('vt') && { signal }),
		...Object.fromEntries(
			ports.flatMap((port) => {
				const { received, sent } = rateAt(serial, port, at);
				return [
					[`received:${port}`, Math.round(received)],
					[`sent:${port}`, Math.round(sent)],
					[`port:${port}`, 100]
				];
			})
		)
	};
}

/** As a row holds them: the keys one a line, and the figures in their order. */
const packed = <One>(figures: Readonly<Record<string, One>>): { keys: string; figures: One[] } => {
	const keys = Object.keys(figures).sort();
	return { keys: keys.join('\n'), figures: keys.map((key) => figures[key]!) };
};

/** Over the part of an hour in which it was there. */
function hourOf(unit: Past, ports: readonly string[], at: number, away: readonly Away[]): Readonly<Record<string, readonly number[]>> {
	const gone = away.reduce(
		(sum, { from, to }) => sum + Math.max(0, Math.min(to, at + HOUR_MS) - Math.max(from, at)),
		0
	);
	const there = 1 - gone / HOUR_MS;
	const share = Math.round(there * 10_000) / 100;
	const moments = Array.from({ length: MOMENTS }, (_, index) => at + (index * HOUR_MS) / MOMENTS)
		.filter((moment) => !isAway(away, moment))
		.map((moment) => momentOf(unit, ports, moment));
	const figures = Object.keys(moments[0] ?? {}).map((key) => {
		const values = moments.map((moment) => moment[key]!);
		const mean = values.reduce((sum, value) => sum + value, 0) / values.length;
		return [key, [Math.min(...values), Number(mean.toPrecision(6)), Math.max(...values), there]];
	});
	return { ...Object.fromEntries(figures), connected: [share, share, share, 1] };
}
