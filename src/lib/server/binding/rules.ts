import { counted } from '../../../core/text';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { fillByRules, type FillingRule, type FreeUnit, type OpenPlace } from '../../../core/onboarding';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { bindIn, changeBinding } from './bind';

/** Rules by which new units of a model fill open positions of a role, and what they propose. */
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

const IS_FREE = `unit.out_of_service_at is null and unit.ownership <> 'refused'
	and not exists (select from binding where binding.unit_id = unit.id)
	and not exists (select from binding_proposal proposal where proposal.unit_id = unit.id)`;
const IS_OPEN = `not exists (select from binding where binding.position_id = position.id)
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

/** What a rule did with a unit. */
export interface RuleOutcome {
	readonly unitId: string;
	readonly place: string;
	/** Null when it waits for approval; else the refusal when it could not be bound. */
	readonly bound: boolean | null;
	readonly problem: string;
}

/** More than this at once is a rollout and belongs in pieces. */
const MOST_FILLED = 500;

/**
 * Lets a customer's rules work on units that were just taken in, or (null) on all that are free. Each that is
 * bound is an act of its own, by whoever took the units in; what a rule holds is proposed and waits.
 */
export async function fillOpenPositions(
	customerId: string,
	unitIds: readonly string[] | null,
	actor: Actor
): Promise<readonly RuleOutcome[]> {
	if (!actor.may('bind', customerId)) return [];
	const rules: readonly FillingRule[] = await database()('binding_rule')
		.where({ customer_id: customerId })
		.select('id', 'model_id as modelId', 'role_id as roleId', 'held');
	if (rules.length === 0) return [];
	const [units, places] = await Promise.all([
		freeUnits(customerId, unitIds, rules),
		openPlaces(customerId, rules)
	]);
	const fillings = fillByRules(units, places, rules, Date.now()).slice(0, MOST_FILLED);
	const nameOf = new Map(places.map(({ id, name, siteName }) => [id, `${name} at ${siteName}`]));
	const held = fillings.filter((filling) => filling.held);
	if (held.length > 0) await propose(customerId, held, actor);
	const outcomes: RuleOutcome[] = [];
	for (const { unitId, positionId, held } of fillings) {
		const place = nameOf.get(positionId)!;
		if (held) outcomes.push({ unitId, place, bound: null, problem: '' });
		else {
			const act = await changeBinding((trx) => bindIn(trx, positionId, unitId, actor));
			outcomes.push({ unitId, place, bound: act.ok, problem: act.ok ? '' : act.problem });
		}
	}
	return outcomes;
}

const freeUnits = async (
	customerId: string,
	unitIds: readonly string[] | null,
	rules: readonly FillingRule[]
): Promise<readonly FreeUnit[]> =>
	(
		await database().raw(
			`select id, serial, model_id as "modelId" from unit
			where customer_id = :customer and model_id = any (:models::text[]) and (:ids::uuid[] is null or id = any (:ids::uuid[])) and ${IS_FREE}
			order by serial limit 20000`,
			{ customer: customerId, models: rules.map(({ modelId }) => modelId), ids: unitIds && [...unitIds] }
		)
	).rows;

const openPlaces = async (customerId: string, rules: readonly FillingRule[]): Promise<readonly OpenPlace[]> =>
	(
		await database().raw(
			`select position.id, position.name, site.name as "siteName", position.role_id as "roleId",
				(extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt"
			from position join site on site.id = position.site_id
			where position.customer_id = ? and position.role_id = any (?::text[]) and ${IS_OPEN}`,
			[customerId, rules.map(({ roleId }) => roleId)]
		)
	).rows;

const propose = (
	customerId: string,
	held: readonly { readonly unitId: string; readonly positionId: string; readonly ruleId: string }[],
	actor: Actor
): Promise<void> =>
	database().transaction(async (trx) => {
		await trx('binding_proposal')
			.insert(
				held.map(({ unitId, positionId, ruleId }) => ({
					unit_id: unitId,
					position_id: positionId,
					rule_id: ruleId,
					customer_id: customerId
				}))
			)
			// Somebody else's intake has just proposed the same
			.onConflict()
			.ignore();
		await notify(trx, 'plan', customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'propose binding',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `${counted(held.length, 'binding is', 'bindings are')} proposed by rules and wait for approval.`
			}
		]);
	});

export interface Proposal {
	readonly unitId: string;
	readonly serial: string;
	readonly modelName: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly timeZone: string;
	readonly appointmentAt: number | null;
	readonly customerId: string;
	readonly customerName: string;
}

/** What rules propose and nobody has decided, the nearest appointment first. */
export async function proposals(customerId: string | null, limit = 200): Promise<readonly Proposal[]> {
	const { rows } = await database().raw(
		`select unit_id as "unitId", unit.serial, model.name as "modelName", position_id as "positionId", position.name as "positionName",
			site.id as "siteId", site.name as "siteName", site.time_zone as "timeZone",
			(extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt", proposal.customer_id as "customerId", customer.name as "customerName"
		from binding_proposal proposal join unit on unit.id = unit_id join model on model.id = unit.model_id
		join position on position.id = position_id join site on site.id = position.site_id join customer on customer.id = proposal.customer_id
		where ?::uuid is null or proposal.customer_id = ?::uuid
		order by abs(extract(epoch from appointment_at - now())) nulls last, site.name, position.name limit ?`,
		[customerId, customerId, limit]
	);
	return rows;
}

export const countProposals = async (customerId: string | null): Promise<number> => {
	const query = database()('binding_proposal');
	if (customerId) query.where({ customer_id: customerId });
	return Number((await query.count())[0]!.count);
};

/** Binds what a rule proposed. Whoever may bind for the customer may. Refused for all that binding is refused for. */
export const approveProposal = (unitId: string, actor: Actor): Promise<Act<{ positionId: string }>> =>
	changeBinding(async (trx) => {
		const proposal = await trx('binding_proposal')
			.where({ unit_id: unitId })
			.forUpdate()
			.first('position_id');
		if (!proposal) return refuse('Somebody has decided on it already.');
		const bound = await bindIn(trx, proposal.position_id, unitId, actor);
		return bound.ok ? done({ positionId: proposal.position_id }) : bound;
	});

/** Declines what a rule proposed: unit and position stay free, and are not proposed to each other by the same intake again. */
export const declineProposal = (unitId: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select proposal.customer_id, serial, position.name as position, site.name as site
			from binding_proposal proposal join unit on unit.id = unit_id join position on position.id = position_id join site on site.id = site_id
			where unit_id = ? for update of proposal`,
			[unitId]
		);
		const [proposal] = rows;
		if (!proposal) return refuse('Somebody has decided on it already.');
		if (!actor.may('bind', proposal.customer_id)) return refuse('You may not bind units for this customer.');
		await trx('binding_proposal').where({ unit_id: unitId }).delete();
		await notify(trx, 'plan', proposal.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'decline binding',
				customerId: proposal.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `${proposal.serial} shall not be bound to ${proposal.position} at ${proposal.site}, as a rule proposed.`
			}
		]);
		return done(undefined);
	});
