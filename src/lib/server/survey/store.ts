import type { Knex } from 'knex';
import {
	sightingOf,
	type Dragged,
	type KnownUnit,
	type Sighting,
	type SightOutcome,
	type Spot
} from '../../../core/survey';
import { database } from '../database';

export const EVERY = ['never', 'day', 'week'] as const;
export type Every = (typeof EVERY)[number];
export type RunState = 'under way' | 'done' | 'cancelled' | 'out of time';

/** What is asked for in a survey. */
export interface Survey {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	readonly begins: readonly string[];
	readonly ranges: readonly string[];
	readonly deepest: number;
	readonly atOnce: number;
	readonly perSecond: number;
	readonly minutes: number;
	readonly every: Every;
	readonly nextAt: Date | null;
	readonly byWhom: string;
}
const surveys = (knex: Knex): Knex.QueryBuilder<object, Survey[]> =>
	knex('survey')
		.join('customer', 'customer.id', 'survey.customer_id')
		.orderBy(['customer.name', 'survey.name'])
		.select(
			'survey.id',
			'survey.customer_id as customerId',
			'customer.name as customer',
			'survey.name',
			'begins',
			knex.raw('ranges::text[] as ranges'),
			'deepest',
			'at_once as atOnce',
			'per_second as perSecond',
			'minutes',
			'every',
			'next_at as nextAt',
			'by_whom as byWhom'
		);
export const surveyById = async (id: string, knex: Knex = database()): Promise<Survey | undefined> =>
	(await surveys(knex).where('survey.id', id))[0];

/** One time that it was done. */
export interface SurveyRun {
	readonly id: string;
	readonly state: RunState;
	readonly byWhom: string;
	readonly begunAt: Date;
	readonly endedAt: Date | null;
	/** How many addresses there are, how many are done, and how many let in. */
	readonly seen: number;
	readonly asked: number;
	readonly inside: number;
}
export type ListedSurvey = Survey & { readonly last: SurveyRun | null };

const runs = (): Knex.QueryBuilder<object, (SurveyRun & { readonly surveyId: string })[]> =>
	database()('survey_run as r')
		.joinRaw(
			`cross join lateral (
				select (count(*) filter (where outcome is distinct from 'outside'))::int as seen,
					(count(*) filter (where a.state = 'done' and outcome <> 'outside'))::int as asked,
					(count(*) filter (where outcome = 'in'))::int as inside
				from survey_address a where a.run_id = r.id
			) c`
		)
		.select('id', 'survey_id as surveyId', 'r.state', 'by_whom as byWhom', 'begun_at as begunAt', 'ended_at as endedAt',
			'seen', 'asked', 'inside'); // prettier-ignore

/** The runs of a survey, newest first. */
export const runsOf = (surveyId: string, limit: number): Promise<SurveyRun[]> =>
	runs().where({ survey_id: surveyId }).orderBy('begun_at', 'desc').limit(limit);

/** Surveys, of one customer or of all that whoever asks may see, each with its last run. */
export async function listedSurveys(customerId: string | null): Promise<ListedSurvey[]> {
	const query = surveys(database());
	const all = await (customerId === null ? query : query.where('survey.customer_id', customerId));
	const last = await runs()
		.distinctOn('survey_id')
		.whereIn(
			'survey_id',
			all.map(({ id }) => id)
		)
		.orderBy(['survey_id', { column: 'begun_at', order: 'desc' }]);
	const bySurvey = new Map(last.map((run) => [run.surveyId, run]));
	return all.map((survey) => ({ ...survey, last: bySurvey.get(survey.id) ?? null }));
}

/** What each address of a run said, those that are asked still left out; for the map. */
export async function sightingsOf(runId: string): Promise<Sighting[]> {
	const rows = await database()('survey_address')
		.where({ run_id: runId, state: 'done' })
		// Of those it is told only by who heard them
		.whereNotIn('outcome', ['outside', 'not come to'])
		.orderBy('ordinal')
		.select(database().raw('host(address) as address'), 'depth', 'outcome', 'words', 'host_key', 'maker_id',
			'model_id', 'serial', 'version', 'name', database().raw('coalesce(mac, table_mac)::text as mac'), 'heard', 'speeds'); // prettier-ignore
	return rows.map((row) =>
		sightingOf(row.address, {
			depth: row.depth,
			outcome: row.outcome,
			words: row.words,
			hostKey: row.host_key,
			maker: row.maker_id,
			model: row.model_id,
			serial: row.serial,
			version: row.version,
			name: row.name,
			mac: row.mac,
			heard: row.heard,
			speeds: row.speeds
		})
	);
}

/** What a survey came to at an address, for the list. */
export interface AskedAddress {
	readonly address: string;
	readonly depth: number;
	readonly state: 'waiting' | 'under way' | 'done';
	readonly outcome: SightOutcome | null;
	readonly words: string;
	readonly login: string | null;
	readonly name: string | null;
	readonly serial: string | null;
	readonly hint: string;
	readonly at: Date | null;
}
export const addressesOf = (runId: string, limit: number): Promise<AskedAddress[]> =>
	database()('survey_address as a')
		.leftJoin('login', 'login.id', 'login_id')
		.where({ run_id: runId })
		.orderByRaw(
			`a.outcome = 'in' nulls first, a.outcome in ('outside', 'not come to') nulls first, a.depth, a.address`
		)
		.limit(limit)
		.select(
			database().raw('host(address) as address'),
			'depth',
			'a.state',
			'outcome',
			'words',
			'login.name as login',
			'a.name',
			'serial',
			'hint',
			'at'
		);

/** The units that Limen has of those that a run found, by maker and serial number. */
export async function knownUnitsOf(runId: string): Promise<ReadonlyMap<string, KnownUnit>> {
	const { rows } = await database().raw(
		`select distinct a.maker_id as maker, a.serial, unit.id as "unitId", site.name as site, position.name as position
		from survey_address a join unit on unit.maker_id = a.maker_id and unit.serial = a.serial and unit.customer_id = a.customer_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id
		left join site on site.id = position.site_id where a.run_id = ?`,
		[runId]
	);
	return new Map(
		(rows as (KnownUnit & { maker: string; serial: string })[]).map(
			({ maker, serial, unitId, site, position }) =>
				[`${maker} ${serial}`, { unitId, site, position }] as const
		)
	);
}

/** Where a run was let in, and with what. */
export interface LetIn {
	readonly address: string;
	readonly port: number;
	readonly loginId: string;
	readonly hostKey: string;
}
export async function lettingIn(knex: Knex, runId: string): Promise<ReadonlyMap<string, LetIn>> {
	const rows: LetIn[] = await knex('survey_address')
		.where({ run_id: runId, outcome: 'in' })
		.whereNotNull('login_id')
		.select(knex.raw('host(address) as address'), 'port', 'login_id as loginId', 'host_key as hostKey');
	return new Map(rows.map((row) => [row.address, row]));
}

export async function draggedIn(surveyId: string): Promise<Dragged> {
	const rows: (Spot & { kind: 'group' | 'thing'; key: string })[] = await database()('survey_spot')
		.where({ survey_id: surveyId })
		.select('kind', 'key', 'x', 'y');
	const of = (kind: 'group' | 'thing') =>
		Object.fromEntries(rows.filter((row) => row.kind === kind).map(({ key, x, y }) => [key, { x, y }]));
	return { groups: of('group'), things: of('thing') };
}
