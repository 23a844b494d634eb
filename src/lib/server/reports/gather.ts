import type { Knex } from 'knex';
import type { Report, ReportPart } from '../../../core/report';
import { cohortMembers } from '../cohorts';
import { database } from '../database';
import { lookOf } from './look';
import { figuresPart, PARTS, type Scope, type Wanted } from './parts';
import type { Gathered, Unwritten } from './write';

const UTC = 'UTC';
/** The clock of a customer: that of most of its sites. */
export async function zoneOf(customerId: string | null): Promise<string> {
	if (customerId === null) return UTC;
	const { rows } = await database().raw(
		`select time_zone as zone from site where customer_id = ? group by 1 order by count(*) desc, 1 limit 1`,
		[customerId]
	);
	return (rows as { zone: string }[])[0]?.zone ?? UTC;
}

/** A table of a report has no more rows; what is left out is said. */
const MOST_ROWS = 50_000;
const MOST_UNITS = 50_000;

/** What may be told, of a customer or of all: by what somebody's duties there are. */
export interface Told {
	/** What people did. */
	readonly records: boolean;
	/** How units are set up: also how old their secrets are. */
	readonly renderings: boolean;
}
const tells = (part: ReportPart, { records, renderings }: Told): boolean =>
	part === 'changes' ? records : part !== 'secrets' || renderings;

/**
 * What a report is made of, read at one moment, as whoever reads it may see: what is behind their walls is not in it. Null:
 * there is no such customer for them, or no such cohort of it. `most`: rows of a table.
 */
export async function gather(
	{ customer: customerId, cohort, parts, figures, from, to }: Report,
	zone: string,
	told: Told,
	most = MOST_ROWS
): Promise<Unwritten | null> {
	const customer =
		customerId === null ? null : await database()('customer').where({ id: customerId }).first('name');
	if (customerId !== null && !customer) return null;
	const chosen =
		cohort === null
			? null
			: await database()('cohort').where({ id: cohort, customer_id: customerId }).first('name');
	const units = chosen ? await cohortMembers(cohort!, MOST_UNITS) : null;
	if (cohort !== null && !units) return null;
	const wanted = parts
		.filter((part) => tells(part, told))
		.flatMap((part) => (part === 'figures' ? [figuresPart(figures)] : PARTS[part]));
	const look = customerId === null ? null : await lookOf(customerId);
	// What is retired, bound or proved meanwhile is in all of its tables or in none
	const { span, tables, now } = await database().transaction(
		async (trx) => {
			const { rows } = await trx.raw(
				`select (:from::date)::timestamp at time zone :zone as from, ((:to::date) + 1)::timestamp at time zone :zone as to, now() as now`,
				{ from, to, zone }
			);
			const [moment] = rows as { from: Date; to: Date; now: Date }[];
			const scope = { customer: customerId, units, from: moment!.from, to: moment!.to, zone };
			const read: Gathered[] = [];
			for (const one of wanted) read.push(await readTable(trx, one, scope, most));
			return { span: scope, tables: read, now: moment!.now };
		},
		{ isolationLevel: 'repeatable read', readOnly: true }
	);
	return {
		customer: look?.name || (customer?.name ?? 'Every customer'),
		look: look?.paper,
		title: 'Report',
		subtitle: `${from === to ? from : `${from} to ${to}`}, by the clock of ${zone}${chosen ? `; the units of the cohort “${chosen.name}”` : ''}`,
		foot: `Made ${now.toISOString().slice(0, 16).replace('T', ' ')} UTC`,
		period: { from: span.from.getTime(), to: Math.min(span.to.getTime(), now.getTime()) },
		now: now.getTime(),
		tables
	};
}

/** One more is read than is shown, so that it can be said that there are more. */
async function readTable(
	trx: Knex,
	{ sql, ...wanted }: Wanted,
	{ customer, units, ...span }: Scope,
	most: number
): Promise<Gathered> {
	const { rows } = await trx.raw(
		`select coalesce(json_agg(t), '[]')::text as text from (${wanted.as === 'rows' ? `${sql} limit ${most + 1}` : sql}) t`,
		{
			...span,
			customer,
			units: units && [...units],
			// What is computed of rows is asked for as the pages about health do
			customers: customer === null ? null : [customer],
			site: null
		}
	);
	return { ...wanted, most, text: (rows as { text: string }[])[0]!.text };
}
