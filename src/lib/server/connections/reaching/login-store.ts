import type { Knex } from 'knex';
import { loginFor, type ChosenLogin, type LoginRule } from '../../../../core/login';
import { unseal } from '../../keys';
import type { UnitLogin } from '../speaking/ssh';

/** A login that was chosen, with the port at which it is used. */
export type LoginAt = ChosenLogin & { readonly port: number };

const rules = (knex: Knex, customerId: string): Promise<(LoginRule & { readonly port: number })[]> =>
	knex('login')
		.where({ customer_id: customerId })
		.select('id', 'name', knex.raw('ranges::text[] as ranges'), 'models', 'ordinal', 'port');

/** Which of a customer's logins an address uses, and why; null when none is for it. */
export const chosenLogin = async (
	knex: Knex,
	customerId: string,
	address: string,
	modelId: string | null
): Promise<LoginAt | null> => {
	const all = await rules(knex, customerId);
	const chosen = loginFor(address, modelId, all);
	return chosen && { ...chosen, port: all.find(({ id }) => id === chosen.id)!.port };
};

/** What it logs in with. */
export async function unsealedLogin(knex: Knex, id: string): Promise<UnitLogin> {
	const row = await knex('login').where({ id }).first('login');
	return JSON.parse(unseal(row!.login)) as UnitLogin;
}
