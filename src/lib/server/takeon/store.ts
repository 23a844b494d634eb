import type { Knex } from 'knex';
import type { Dialect } from '../../../core/config';
import type { OwnStatement } from '../../../core/profile';
import type { Learnt, LearntChoice } from '../../../core/takeon';
import { database } from '../database';
import { unseal } from '../keys';

/** Units that somebody else configured, on their way into the plan of one customer. */
export interface TakeOn {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	readonly byWhom: string;
	readonly begunAt: Date;
	readonly endedAt: Date | null;
	readonly wanted: number;
	/** The wish that what is shown comes of. */
	readonly learnt: number;
	readonly problem: string;
	readonly units: number;
	/** Of them, those that are part of the plan. */
	readonly placed: number;
}

const takeOns = (knex: Knex): Knex.QueryBuilder =>
	knex('take_on')
		.join('customer', 'customer.id', 'customer_id')
		.select(
			'take_on.id',
			'customer_id as customerId',
			'customer.name as customer',
			'take_on.name',
			'by_whom as byWhom',
			'begun_at as begunAt',
			'ended_at as endedAt',
			'wanted',
			'learnt',
			'problem',
			knex.raw('(select count(*)::int from take_on_unit where take_on_id = take_on.id) as units'),
			knex.raw('(select count(position_id)::int from take_on_unit where take_on_id = take_on.id) as placed')
		);

/** Those that are open first. */
export const allTakeOns = (customerIds: readonly string[] | null): Promise<TakeOn[]> => {
	const query = takeOns(database()).orderByRaw('ended_at desc nulls first, begun_at desc').limit(200);
	return customerIds === null ? query : query.whereIn('customer_id', [...customerIds]);
};
export const takeOnById = (id: string, knex: Knex = database()): Promise<TakeOn | undefined> =>
	takeOns(knex).where('take_on.id', id).first();

export interface TakeOnUnit {
	readonly id: string;
	readonly name: string;
	readonly lines: number;
	readonly modelId: string | null;
	readonly model: string | null;
	readonly modelSaid: boolean;
	readonly unitId: string | null;
	readonly groupId: string | null;
	readonly unread: string;
	/** Where somebody says it is; else where it seems to be. */
	readonly site: string;
	readonly position: string;
	readonly isPlaced: boolean;
	readonly positionId: string | null;
	readonly siteId: string | null;
	/** The position of the plan that it is given to, and the profile that this followed. */
	readonly ofPosition: string | null;
	readonly ofProfile: string;
}
export const unitsOfTakeOn = (id: string, knex: Knex = database(), only?: string): Promise<TakeOnUnit[]> =>
	knex('take_on_unit')
		.leftJoin('model', 'model.id', 'model_id')
		.leftJoin('position', 'position.id', 'position_id')
		.where({ take_on_id: id, ...(only !== undefined && { 'take_on_unit.id': only }) })
		.orderBy('take_on_unit.name')
		.select(
			'take_on_unit.id',
			'take_on_unit.name',
			'lines',
			'model_id as modelId',
			'model.name as model',
			'model_said as modelSaid',
			'unit_id as unitId',
			'group_id as groupId',
			'unread',
			knex.raw(`coalesce(nullif(site_name, ''), guessed_site) as site`),
			knex.raw(`coalesce(nullif(position_name, ''), guessed_position) as position`),
			knex.raw(`site_name <> '' and position_name <> '' as "isPlaced"`),
			'position_id as positionId',
			'position.site_id as siteId',
			'of_position as ofPosition',
			'of_profile as ofProfile'
		);

/** Their configurations, unsealed. */
export async function textsOfTakeOn(
	id: string,
	knex: Knex = database()
): Promise<ReadonlyMap<string, string>> {
	const rows: { id: string; text: string }[] = await knex('take_on_unit')
		.where({ take_on_id: id })
		.select('id', 'text');
	return new Map(rows.map((row) => [row.id, unseal(row.text)]));
}

/** What was learnt of one unit. */
export interface LearntUnit {
	readonly values: Readonly<Record<string, string>>;
	/** What its profile gives it: where its customer or site gives another value, it is given at the unit. */
	readonly usual: Readonly<Record<string, string>>;
	readonly holds: boolean;
	readonly own: readonly OwnStatement[];
	/** The fields that are expected at its site. */
	readonly atSite: readonly string[];
}

/** One unit as it is brought into the plan, locked: its configuration, and what was learnt of it. */
export async function unitToTakeOn(trx: Knex, id: string) {
	const row = await trx('take_on_unit')
		.where({ id })
		.forUpdate()
		.first('text', 'learnt', 'take_on_id as takeOnId', 'group_id as groupId');
	if (!row) return undefined;
	const group: { dialect: Dialect; profileId: string | null } | undefined = await trx('take_on_group')
		.where({ id: row.groupId })
		.first('dialect', 'profile_id as profileId');
	const unit = (await unitsOfTakeOn(row.takeOnId, trx, id))[0]!;
	return {
		unit,
		group,
		text: unseal(row.text),
		learnt: row.learnt === null ? null : (JSON.parse(unseal(row.learnt)) as LearntUnit)
	};
}

export interface TakeOnGroup {
	readonly id: string;
	readonly ordinal: number;
	readonly dialect: Dialect;
	readonly choices: readonly LearntChoice[];
	readonly problems: readonly string[];
	/** What was learnt, as it is with the choices; null before that. */
	readonly result: Learnt | null;
	readonly profileId: string | null;
	readonly profile: string | null;
	/** The profile can be followed. */
	readonly isReleased: boolean;
}

/** The groups with what was learnt from them, values and all: what people see of it is `shownLearnt`. */
export async function groupsOfTakeOn(id: string, knex: Knex = database()): Promise<readonly TakeOnGroup[]> {
	const rows: (Omit<TakeOnGroup, 'result'> & { result: string | null })[] = await knex('take_on_group')
		.leftJoin('profile', 'profile.id', 'profile_id')
		.where({ take_on_id: id })
		.orderBy('ordinal')
		.select(
			'take_on_group.id',
			'ordinal',
			'dialect',
			'choices',
			'problems',
			'result',
			'profile_id as profileId',
			'profile.name as profile',
			knex.raw('released_revision_id is not null as "isReleased"')
		);
	return rows.map((row) => ({
		...row,
		result: row.result === null ? null : (JSON.parse(unseal(row.result)) as Learnt)
	}));
}
