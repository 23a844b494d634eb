import type { CellDifference, ConnectorKind, ConnectorVerdict, Mapping } from '../../../core/connector';
import { database } from '../database';

/** A scheduled exchange with another system, as a page shows it. */
export interface Connector {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	readonly kind: ConnectorKind;
	/** Null: files are put into its folder. */
	readonly url: string | null;
	/** The header's name; what it holds is shown to nobody. */
	readonly header: string;
	readonly records: string;
	readonly nextPage: string;
	readonly patternId: string | null;
	readonly mapping: Mapping | null;
	/** Its columns as they were seen last, with a few of their cells. */
	readonly seen: readonly { readonly heading: string; readonly samples: readonly string[] }[];
	readonly everyMinutes: number | null;
	readonly byItself: boolean;
	readonly personId: string;
	readonly statedBy: string;
	readonly edit: number;
	/** Failures on end, what was wrong last, and when it is read next. */
	readonly failures: number;
	readonly trouble: string;
	readonly nextAt: Date;
	/** How many records were taken over and are still there. */
	readonly known: number;
	readonly last: ConnectorRun | null;
}
export interface ConnectorRun {
	readonly id: string;
	/** Null: the schedule. */
	readonly askedBy: string | null;
	readonly isLook: boolean;
	readonly begunAt: Date;
	readonly endedAt: Date | null;
	readonly state: 'waiting' | 'compared' | 'failed';
	readonly trouble: string;
	readonly counts: Partial<Readonly<Record<ConnectorVerdict, number>>>;
	readonly workId: string | null;
	/** How many of its records are still to be taken over or decided. */
	readonly open: number;
}

const RUN = `json_build_object('id', r.id, 'askedBy', r.asked_by, 'isLook', is_look, 'begunAt', begun_at, 'endedAt', r.ended_at, 'state', state,
	'trouble', r.trouble, 'counts', counts, 'workId', work_id,
	'open', (select count(*) from connector_row where run_id = r.id and taken_at is null and verdict in ('new', 'changed', 'conflict')))`;

const read = async (where: {
	readonly id?: string;
	readonly customer?: string | null;
}): Promise<readonly Connector[]> => {
	const { rows } = await database().raw(
		`select c.id, c.customer_id as "customerId", customer.name as customer, c.name, kind, url, header, records, next_page as "nextPage", pattern_id as "patternId",
			mapping, seen, every_minutes as "everyMinutes", by_itself as "byItself", person_id as "personId", stated_by as "statedBy", c.edit, failures, c.trouble,
			next_at as "nextAt", (select count(*)::int from connector_record where connector_id = c.id and gone_at is null) as known, last.run as last
		from connector c join customer on customer.id = c.customer_id
		left join lateral (select ${RUN} as run from connector_run r where r.connector_id = c.id order by id desc limit 1) last on true
		where c.ended_at is null and (:id::uuid is null or c.id = :id::uuid) and (:customer::uuid is null or c.customer_id = :customer::uuid)
		order by lower(customer.name), lower(c.name), c.id limit 500`,
		{ id: where.id ?? null, customer: where.customer ?? null }
	);
	return rows.map((row: Connector) => ({ ...row, last: row.last && withDates(row.last) }));
};
const withDates = (run: ConnectorRun): ConnectorRun => ({
	...run,
	begunAt: new Date(run.begunAt),
	endedAt: run.endedAt && new Date(run.endedAt)
});

/** Those of one customer (null: of all) that whoever asks may see, by customer and name. */
export const connectors = (customer: string | null) => read({ customer });
export const connectorById = async (id: string): Promise<Connector | null> => (await read({ id }))[0] ?? null;

const MOST_RUNS = 20;
/** How it was read lately, the latest first. */
export async function connectorRuns(connectorId: string): Promise<readonly ConnectorRun[]> {
	const { rows } = await database().raw(
		`select ${RUN} as run from connector_run r where connector_id = ? order by id desc limit ${MOST_RUNS}`,
		[connectorId]
	);
	return rows.map(({ run }: { run: ConnectorRun }) => withDates(run));
}

/** A record that is not as it was, for people; what is remembered of it stays in the database. */
export interface ConnectorRow {
	readonly ordinal: number;
	readonly key: string;
	readonly name: string;
	readonly verdict: ConnectorVerdict;
	readonly thingId: string | null;
	readonly problems: readonly string[];
	readonly differences: readonly CellDifference[];
	readonly takenAt: Date | null;
	/** A few of its values, of one that is new; empty of a unit, in which its claim code stands. */
	readonly says: string;
}
export const ROWS_AT_ONCE = 100;
const VALUES_SAID = 5;
export async function connectorRows(
	runId: string,
	{ verdict, after }: { readonly verdict: ConnectorVerdict | null; readonly after: number }
): Promise<readonly ConnectorRow[]> {
	const query = database()('connector_row')
		.where({ run_id: runId })
		.where('ordinal', '>', after)
		.orderBy('ordinal')
		.limit(ROWS_AT_ONCE)
		.select('ordinal', 'key', 'name', 'verdict', 'thing_id as thingId', 'problems', 'differences')
		.select('taken_at as takenAt', 'base');
	const rows = await (verdict ? query.where({ verdict }) : query);
	return rows.map(({ base, ...row }) => ({
		...row,
		says:
			row.verdict === 'new' && base.startsWith('{')
				? Object.values(JSON.parse(base))
						.filter((value) => value !== row.name)
						.slice(0, VALUES_SAID)
						.join(' · ')
				: ''
	}));
}
