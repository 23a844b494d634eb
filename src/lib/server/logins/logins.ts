import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import {
	loginFields,
	loginProblem,
	NOT_REACHED_BY_YOU,
	portField,
	rangesField,
	shortText,
	unitLogin
} from '../connections';
import { database } from '../database';
import { oneId } from '../forms';
import { seal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';

export const loginSchema = v.object({
	customer: oneId('Choose the customer.'),
	name: v.pipe(shortText(120, 'Name it.'), v.minLength(1, 'Name it.')),
	...loginFields,
	privileges: v.optional(v.pipe(v.string(), v.maxLength(500)), ''),
	port: v.optional(portField, '22'),
	ranges: rangesField,
	models: v.optional(
		v.pipe(
			v.union([
				v.array(v.string()),
				v.pipe(
					v.string(),
					v.transform((one) => (one === '' ? [] : [one]))
				)
			]),
			v.maxLength(100)
		),
		[]
	),
	ordinal: v.optional(
		v.pipe(
			v.string(),
			v.regex(/^\d{0,4}$/, 'A whole number from 0 to 1000.'),
			v.transform(Number),
			v.maxValue(1000, 'A whole number from 0 to 1000.')
		),
		'0'
	)
});

/** A login as people see it: nobody reads what it logs in with. */
export interface ShownLogin {
	readonly id: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly name: string;
	readonly user: string;
	readonly port: number;
	readonly ranges: readonly string[];
	readonly models: readonly string[];
	readonly ordinal: number;
	readonly byWhom: string;
	readonly changedAt: Date;
	/** How many units are reached with it. */
	readonly units: number;
}
export const loginsOf = (customerId: string | null): Promise<ShownLogin[]> => {
	const query = database()('login')
		.join('customer', 'customer.id', 'login.customer_id')
		.orderBy(['customer.name', 'login.ordinal', 'login.name'])
		.select(
			'login.id',
			'login.customer_id as customerId',
			'customer.name as customerName',
			'login.name',
			'user_name as user',
			'login.port',
			database().raw('ranges::text[] as ranges'),
			database().raw(
				`array(select model.name from model where model.id = any(login.models) order by 1) as models`
			),
			'ordinal',
			'by_whom as byWhom',
			'changed_at as changedAt',
			database().raw('(select count(*)::int from unit_reach where login_id = login.id) as units')
		);
	return customerId === null ? query : query.where({ 'login.customer_id': customerId });
};

/**
 * Keeps a login, sealed; one of the same name takes the place of the one before, and units that are reached with that use it
 * from their next connection on. Engineers of the customer may.
 */
export const saveLogin = (given: v.InferOutput<typeof loginSchema>, actor: Actor): Promise<Act> =>
	changing(
		async (trx) => {
			const { customer, name } = given;
			if (!actor.may('reach units', customer)) return refuse(NOT_REACHED_BY_YOU);
			const problem = loginProblem(given);
			if (problem) return refuse(problem);
			const known = await trx('model').whereIn('id', given.models).pluck('id');
			if (known.length < new Set(given.models).size) return refuse('There is no such model.');
			const before = await trx('login')
				.where({ customer_id: customer })
				.whereRaw('lower(name) = lower(?)', [name])
				.forUpdate()
				.first('id');
			const columns = {
				name,
				user_name: given.user,
				login: seal(JSON.stringify(unitLogin(given))),
				port: given.port,
				ranges: trx.raw('?::cidr[]', [given.ranges]),
				models: given.models,
				ordinal: given.ordinal,
				by_whom: actor.name,
				changed_at: trx.fn.now()
			};
			if (before) {
				await trx('login').where({ id: before.id }).update(columns);
				await trx('unit_reach')
					.where({ login_id: before.id })
					.update({ tries: 0, next_try_at: trx.fn.now() });
			} else await trx('login').insert({ ...columns, id: uuid(), customer_id: customer });
			await enterInLedger(trx, actor, [
				{
					act: 'keep login',
					customerId: customer,
					subjectKind: 'customer',
					subjectId: customer,
					words: `The login “${name}” (as ${given.user}) is ${before ? 'another one now' : 'kept'}, for ${given.ranges.join(', ')}.`
				}
			]);
			return done(undefined);
		},
		{ login_name: 'Somebody kept one of that name meanwhile. Look again.' }
	);

/** Forgets a login. Engineers of the customer may. Refused while units are reached with it. */
export const dropLogin = (id: string, actor: Actor): Promise<Act> =>
	changing(
		async (trx) => {
			const login = await trx('login').where({ id }).forUpdate().first('name', 'customer_id');
			if (!login) return refuse('It is gone already.');
			if (!actor.may('reach units', login.customer_id)) return refuse(NOT_REACHED_BY_YOU);
			await trx('login').where({ id }).delete();
			await enterInLedger(trx, actor, [
				{
					act: 'forget login',
					customerId: login.customer_id,
					subjectKind: 'customer',
					subjectId: login.customer_id,
					words: `The login “${login.name}” is forgotten.`
				}
			]);
			return done(undefined);
		},
		{ unit_reach_login_id_foreign: USED, unit_reach_login_id_fkey: USED }
	);
const USED = 'Units are reached with it. Reach them with another one first.';
