import {
	shareOfAll,
	shareWords,
	standingBetween,
	type DriftState,
	type Look,
	type Standing
} from '../../../core/drift';
import type { ReportDocument } from '../../../core/report';
import { counted } from '../../../core/text';
import { database, timeNow } from '../database';

/** A unit with when it was as intended. */
export interface IntendedUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly siteName: string;
	readonly positionName: string;
	readonly customerName: string;
	readonly timeZone: string;
	readonly standing: Standing;
}
export interface IntendedReport {
	readonly from: Date;
	readonly to: Date;
	readonly units: readonly IntendedUnit[];
	readonly share: number | null;
	/** Of more units than these it is asked customer by customer, or site by site. */
	readonly isAll: boolean;
}

/** Of so many units at once. */
export const MOST_UNITS = 2_000;

/**
 * Which units were as intended, and when, between two moments: of one unit, of a site, or of all that are looked at.
 * `customers`: where whoever asks may see renderings; null for all.
 */
export async function intendedBetween(
	customers: readonly string[] | null,
	{
		from,
		to,
		unitId = null,
		siteId = null
	}: {
		readonly from: Date;
		readonly to: Date;
		readonly unitId?: string | null;
		readonly siteId?: string | null;
	}
): Promise<IntendedReport> {
	const until = new Date(Math.min(to.getTime(), timeNow()));
	const { rows } = await database().raw(
		`with chosen as (
			select unit.id, unit.serial, site.name as "siteName", position.name as "positionName", customer.name as "customerName", site.time_zone as "timeZone"
			from unit_drift join unit on unit.id = unit_drift.unit_id join position on position.id = unit_drift.position_id
			join site on site.id = position.site_id join customer on customer.id = unit_drift.customer_id
			where (:customers::uuid[] is null or unit_drift.customer_id = any (:customers::uuid[]))
				and (:unit::uuid is null or unit.id = :unit::uuid) and (:site::uuid is null or site.id = :site::uuid)
			order by customer.name, site.name, position.name limit ${MOST_UNITS + 1}
		)
		select chosen.*, looks.all as looks from chosen left join lateral (
			select json_agg(json_build_array(extract(epoch from at) * 1000, state, why, findings) order by at) as all from (
				select * from drift_look where unit_id = chosen.id and at between :from and :to
				union all (select * from drift_look where unit_id = chosen.id and at < :from order by at desc limit 1)
			) l
		) looks on true`,
		{ customers: customers && [...customers], unit: unitId, site: siteId, from, to: until }
	);
	type Row = Omit<IntendedUnit, 'unitId' | 'standing'> & {
		id: string;
		looks: [number, DriftState, string, number][] | null;
	};
	const units = (rows as Row[]).slice(0, MOST_UNITS).map(({ id, looks, ...unit }): IntendedUnit => {
		const seen = (looks ?? []).map(([at, state, why, findings]): Look => ({ at, state, why, findings }));
		return { ...unit, unitId: id, standing: standingBetween(seen, from.getTime(), until.getTime()) };
	});
	return {
		from,
		to: until,
		units,
		share: shareOfAll(units.map(({ standing }) => standing)),
		isAll: rows.length <= MOST_UNITS
	};
}

const WHY_WORDS: Readonly<Record<string, string>> = {
	asked: 'somebody had it read',
	due: 'it was due to be read',
	send: 'something had been sent to it',
	back: 'it had come back',
	run: 'it came online',
	said: 'it said that it was changed',
	accepted: 'the plan was made to follow'
};
export const whyWords = (why: string): string => WHY_WORDS[why] ?? why;

/** As rows of a file, a span each, oldest first. */
export const intendedRows = ({ units }: IntendedReport): string[][] => [
	['customer', 'site', 'position', 'serial number', 'from', 'to', 'how it stood', 'places that differed', 'seen because', 'times looked at', 'share as intended'], // prettier-ignore
	...units.flatMap(({ customerName, siteName, positionName, serial, standing }) =>
		standing.spans.map((span) => [
			customerName,
			siteName,
			positionName,
			serial,
			new Date(span.from).toISOString(),
			new Date(span.to).toISOString(),
			span.state,
			String(span.findings),
			whyWords(span.why),
			String(span.looks),
			shareWords(standing.share)
		])
	)
];

/** As a document for an auditor. */
export function intendedDocument(report: IntendedReport, customer: string): ReportDocument {
	const { from, to, units, share } = report;
	const zone = units[0]?.timeZone ?? 'UTC';
	const said = (at: Date | number) =>
		new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: zone }).format(at);
	const apart = units.filter(({ standing }) => standing.spans.some(({ state }) => state !== 'as intended'));
	return {
		customer,
		title: 'As intended, from when to when',
		subtitle: `${said(from)} to ${said(to)}, times of ${zone}`,
		foot: `Made ${said(timeNow())}`,
		blocks: [
			{
				kind: 'facts',
				title: 'In short',
				facts: [
					{ name: 'Units looked at', value: counted(units.length, 'unit') },
					{ name: 'Share of the time as intended', value: shareWords(share) },
					{ name: 'As intended all the time', value: counted(units.length - apart.length, 'unit') }
				]
			},
			{
				kind: 'table',
				title: 'When one was not',
				columns: ['Where', 'Unit', 'From', 'To', 'How it stood', 'Seen because'],
				rows: apart.flatMap(({ siteName, positionName, serial, standing }) =>
					standing.spans
						.filter(({ state }) => state !== 'as intended')
						.map((span) => [
							`${siteName}, ${positionName}`,
							serial,
							said(span.from),
							said(span.to),
							span.state === 'differs'
								? `differed in ${counted(span.findings, 'place')}`
								: 'could not be read',
							whyWords(span.why)
						])
				),
				otherwise: 'Every unit was as intended whenever it was looked at.',
				mono: [1]
			},
			{
				kind: 'table',
				title: 'Unit by unit',
				columns: ['Where', 'Unit', 'Share', 'Times looked at'],
				rows: units.map(({ siteName, positionName, serial, standing }) => [
					`${siteName}, ${positionName}`,
					serial,
					shareWords(standing.share),
					String(standing.looks)
				]),
				otherwise: 'No unit was looked at.',
				mono: [1]
			},
			{
				kind: 'text',
				title: 'What this says',
				lines: [
					'What each unit runs was read from it and held, statement by statement, against what it should run. Between two readings it counts as the earlier one saw it.'
				]
			}
		]
	};
}
