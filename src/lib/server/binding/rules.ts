import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { FillingRule } from '../../../core/onboarding';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

/** Rules by which new units of a model fill open positions of a role. */
export interface Rule extends FillingRule {
	readonly customerId: string;
	readonly customerName: string;
	readonly modelName: string;
	readonly roleName: string;
	/** Units and positions it is about that are free now. */
	readonly freeUnits: number;
	readonly openPositions: number;
}

/** The rules that whoever asks may see, of one customer or of all. */
export async function bindingRules(customerId: string | null): Promise<readonly Rule[]> {
	const { rows } = await database().raw(
		`select rule.id, rule.customer_id as "customerId", customer.name as "customerName", model_id as "modelId", model.name as "modelName",
			rule.role_id as "roleId", role.name as "roleName", held,
			(select count(*)::int from unit where unit.customer_id = rule.customer_id and unit.model_id = rule.model_id and ${IS_FREE}) as "freeUnits",
			(select count(*)::int from position where position.customer_id = rule.customer_id and position.role_id = rule.role_id and ${IS_OPEN}) as "openPositions"
		from binding_rule rule join customer on customer.id = rule.customer_id join model on model.id = model_id join role on role.id = rule.role_id
		where ?::uuid is null or rule.customer_id = ?::uuid order by customer.name, model.name, role.name`,
		[customerId, customerId]
	);
	return rows;
}

/** SQL: nothing is bound to a unit or position, or proposed for it. */
export const IS_FREE = `unit.out_of_service_at is null and unit.ownership <> 'refused'
	and not exists (select from binding where binding.unit_id = unit.id)
	and not exists (select from binding_proposal proposal where proposal.unit_id = unit.id)`;
export const IS_OPEN = `not exists (select from binding where binding.position_id = position.id)
	and not exists (select from binding_proposal proposal where proposal.position_id = position.id)`;

/** Which models can fill which roles: what rules can be about. */
export const rulesPossible = async (): Promise<
	readonly { modelId: string; modelName: string; roleId: string; roleName: string }[]
> =>
	database()('model_role')
		.join('model', 'model.id', 'model_role.model_id')
		.join('role', 'role.id', 'model_role.role_id')
		.orderBy(['model.name', 'role.name'])
		.select('model.id as modelId', 'model.name as modelName', 'role.id as roleId', 'role.name as roleName');

export interface RuleWanted {
	readonly customerId: string;
	readonly modelId: string;
	readonly roleId: string;
	readonly held: boolean;
}

/** Makes a rule, or changes whether it holds. Whoever may plan sites for the customer may. Binds nothing yet. */
export async function saveRule(wanted: RuleWanted, actor: Actor): Promise<Act<{ id: string }>> {
	const { customerId, modelId, roleId, held } = wanted;
	if (!actor.may('plan sites', customerId)) return refuse(NOT_BY_YOU);
	return changing(
		async (trx) => {
			const [{ id }] = await trx('binding_rule')
				.insert({ id: uuid(), customer_id: customerId, model_id: modelId, role_id: roleId, held })
				.onConflict(['customer_id', 'model_id', 'role_id'])
				.merge({ held })
				.returning('id');
			await notify(trx, 'plan', customerId);
			await enterInLedger(trx, actor, [
				await aboutRule(trx, id, 'set binding rule', held ? 'once somebody has approved' : 'by themselves')
			]);
			return done({ id: id as string });
		},
		{},
		'A unit of this model cannot fill that role.'
	);
}

/** Removes a rule; what it proposed and nobody approved goes with it, what was bound stays. */
export const removeRule = (id: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const rule = await trx('binding_rule').where({ id }).forUpdate().first('customer_id');
		if (!rule) return refuse('There is no such rule any more.');
		if (!actor.may('plan sites', rule.customer_id)) return refuse(NOT_BY_YOU);
		const said = await aboutRule(trx, id, 'remove binding rule', 'no more');
		await trx('binding_rule').where({ id }).delete();
		await notify(trx, 'plan', rule.customer_id);
		await enterInLedger(trx, actor, [said]);
		return done(undefined);
	});

const NOT_BY_YOU = 'Rules are made by those who plan the customer’s sites.';

async function aboutRule(trx: Knex, id: string, act: string, how: string) {
	const rule = await trx('binding_rule')
		.join('model', 'model.id', 'model_id')
		.join('role', 'role.id', 'binding_rule.role_id')
		.where('binding_rule.id', id)
		.first('customer_id', 'model.name as model', 'role.name as role');
	return {
		act,
		customerId: rule.customer_id as string,
		subjectKind: 'customer' as const,
		subjectId: rule.customer_id as string,
		words: `New ${rule.model} units fill open ${rule.role} positions, the nearest appointment first, ${how}.`
	};
}
