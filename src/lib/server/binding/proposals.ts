import type { Knex } from 'knex';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { doOrBegin, type DoneOrBegun } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { bindIn } from './bind';
import type { Pairing } from './pairing';

/** Keeps what rules propose until somebody has decided; returns what was not proposed otherwise a moment ago. */
export const propose = <Proposed extends Pairing & { readonly ruleId: string }>(
	customerId: string,
	proposed: readonly Proposed[],
	actor: Actor
): Promise<readonly Proposed[]> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`insert into binding_proposal (unit_id, position_id, rule_id, customer_id)
			select p.unit_id, p.position_id, p.rule_id, ? from unnest(?::uuid[], ?::uuid[], ?::uuid[]) as p(unit_id, position_id, rule_id)
			on conflict do nothing returning unit_id`,
			[
				customerId,
				proposed.map(({ unitId }) => unitId),
				proposed.map(({ positionId }) => positionId),
				proposed.map(({ ruleId }) => ruleId)
			]
		);
		if (rows.length === 0) return [];
		await notify(trx, 'plan', customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'propose binding',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `${counted(rows.length, 'binding is', 'bindings are')} proposed by rules and wait for approval.`
			}
		]);
		const kept = new Set((rows as { unit_id: string }[]).map(({ unit_id }) => unit_id));
		return proposed.filter(({ unitId }) => kept.has(unitId));
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

export const APPROVE = 'approve binding';
const DECIDED = 'Somebody has decided on it already.';

/** Binds what a rule proposed, in the act's transaction. Whoever may bind for the customer may. Refused for all that binding is refused for. */
export async function approveIn(trx: Knex, unitId: string, actor: Actor): Promise<Act<string>> {
	const proposal = await trx('binding_proposal').where({ unit_id: unitId }).forUpdate().first('position_id');
	if (!proposal) return refuse(DECIDED);
	const bound = await bindIn(trx, proposal.position_id, unitId, actor);
	return bound.ok ? done('Bound, as a rule proposed.') : bound;
}

/** Binds what rules proposed for many units, each as an act of its own; more than wait for an answer as long work. */
export async function approveProposals(
	unitIds: readonly string[],
	actor: Actor
): Promise<Act<DoneOrBegun & { readonly positionIds: readonly string[] }>> {
	// Those of which somebody has decided meanwhile are among them, and say so
	const things: { unit: string; position: string | null; customerId: string; subject: string }[] =
		await database()('unit')
			.leftJoin('binding_proposal as proposal', 'proposal.unit_id', 'unit.id')
			.leftJoin('position', 'position.id', 'proposal.position_id')
			.leftJoin('site', 'site.id', 'position.site_id')
			.whereIn('unit.id', [...unitIds])
			.orderBy(['site.name', 'position.name', 'unit.serial'])
			.select(
				'unit.id as unit',
				'proposal.position_id as position',
				'unit.customer_id as customerId',
				database().raw(`concat_ws(', ', unit.serial, site.name || ' ' || position.name) as subject`)
			);
	const positionIds = things.flatMap(({ position }) => position ?? []);
	if (positionIds.length === 0) return refuse(DECIDED);
	const act = await doOrBegin(
		{
			kind: APPROVE,
			title: 'Bind what rules proposed',
			things: things.map(({ customerId, subject, unit }) => ({ customerId, subject, about: { unit } }))
		},
		actor
	);
	return act.ok ? done({ ...act.done, positionIds }) : act;
}

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
		if (!proposal) return refuse(DECIDED);
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
