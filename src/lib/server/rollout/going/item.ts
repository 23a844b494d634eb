import type { Knex } from 'knex';
import type { Stance } from '../../../../core/stance';
import { done, refuse, type Act } from '../../act';
import { TakenBack } from '../../change';
import { BOOTSTRAP, database, isRefusal, runAs } from '../../database';
import type { Actor } from '../../ledger';
import { log } from '../../log';
import { rotateAt } from '../../secrets';
import { takeStanceIn } from '../../stance';
import { flashAt, restartAt, sendAt, SEND_REFUSALS } from '../../send';
import type { Going } from './going';

/** A unit whose turn it is. */
export interface Claimed {
	readonly unitId: string;
	/** A version, or a stance. */
	readonly gets: string | null;
	readonly versionId: string | null;
	readonly nowBecause: string | null;
}
const SWEPT_AFTER = '60 seconds';

/** Nothing is being done at it yet. */
const UNBEGUN = { flash_id: null, send_id: null, errand_id: null, rotation_id: null };

/** What was claimed and not begun, because its process was killed in between, waits again. */
export const letGoOfUnbegun = (trx: Knex, id: string): Promise<unknown> =>
	trx('rollout_item')
		.where({ rollout_id: id, state: 'under way', ...UNBEGUN })
		.whereRaw(`begun_at < now() - interval '${SWEPT_AFTER}'`)
		.update({ state: 'waiting', begun_at: null });

/** Begins it, as whoever began the rollout; false where it has to wait once more. What cannot be begun is left out with the reason; what another act came before waits. */
export async function beginItem(going: Going, item: Claimed, actor: Actor): Promise<boolean> {
	const reason = item.nowBecause ?? going.reason ?? undefined;
	try {
		return await runAs({ kind: 'person', personId: going.personId }, () =>
			database().transaction(async (trx) => {
				const mine = await trx('rollout_item')
					.where({ rollout_id: going.id, unit_id: item.unitId, state: 'under way', ...UNBEGUN })
					.forUpdate()
					.first('unit_id');
				if (!mine) return false;
				const act = await BEGINS[going.kind](trx, going, item, { ...actor, ...(reason && { reason }) });
				if (!act.ok) throw new TakenBack(act);
				await trx('rollout_item').where({ rollout_id: going.id, unit_id: item.unitId }).update(act.done);
				return true;
			})
		);
	} catch (error) {
		await notBegun(going, item, error as Error);
		return error instanceof TakenBack;
	}
}

interface Begun {
	readonly flash_id?: string;
	readonly send_id?: string;
	readonly errand_id?: string;
	readonly rotation_id?: string;
	readonly begun_at?: Knex.Raw;
}
type Begins = (trx: Knex, going: Going, item: Claimed, actor: Actor) => Promise<Act<Begun>>;
const BEGINS: Readonly<Record<Going['kind'], Begins>> = {
	firmware: async (trx, { asked }, { unitId, gets }, actor) => {
		const act = await flashAt(trx, unitId, { to: gets ?? undefined, asked }, actor);
		return act.ok ? done({ flash_id: act.done }) : act;
	},
	due: async (trx, { asked }, { unitId }, actor) => {
		const act = await sendAt(trx, unitId, { wanted: { kind: 'due' }, asked }, actor);
		return act.ok ? done({ send_id: act.done.sendId }) : act;
	},
	restore: async (trx, { asked }, { unitId, versionId }, actor) => {
		if (!versionId) return refuse('What it ran before is not known.');
		const act = await sendAt(trx, unitId, { wanted: { kind: 'restore', version: versionId }, asked }, actor);
		return act.ok ? done({ send_id: act.done.sendId }) : act;
	},
	restart: async (trx, { asked }, { unitId }, actor) => {
		const act = await restartAt(trx, unitId, asked, actor);
		return act.ok ? done({ errand_id: act.done }) : act;
	},
	secret: async (trx, { id, asked, begunAt }, { unitId }, actor) => {
		const secrets: string[] = await trx('rollout_secret')
			.where({ rollout_id: id, unit_id: unitId })
			.orderBy('secret_id')
			.pluck('secret_id');
		const act = await rotateAt(trx, unitId, { secrets, since: begunAt, asked }, actor);
		return act.ok ? done({ rotation_id: act.done }) : act;
	},
	// Nothing is asked of the unit: that it is stated is seen in the next turn
	stance: async (trx, _going, { unitId, gets }, actor) => {
		const { customer_id: customerId } = await trx('unit').where({ id: unitId }).first('customer_id');
		const act = await takeStanceIn(
			trx,
			{ customerId, siteId: null, unitId },
			(gets || null) as Stance | null,
			actor
		);
		return act.ok ? done({ begun_at: trx.raw('clock_timestamp()') }) : act;
	}
};

async function notBegun({ id }: Going, { unitId }: Claimed, error: Error): Promise<void> {
	const item = () =>
		database()('rollout_item').where({ rollout_id: id, unit_id: unitId, state: 'under way' });
	await runAs(BOOTSTRAP, async () => {
		if (error instanceof TakenBack)
			await item().update({
				state: 'left out',
				words: error.refusal.problem.slice(0, 2_000),
				ended_at: database().fn.now()
			});
		else if (isRefusal(error))
			await item().update({
				state: 'waiting',
				begun_at: null,
				words:
					SEND_REFUSALS[error.constraint as keyof typeof SEND_REFUSALS] ??
					'Something else is done at it just now.'
			});
		else {
			log.error({ rollout: id, unit: unitId, error: error.stack }, 'a unit of a rollout could not be begun');
			await item().update({ state: 'waiting', begun_at: null });
		}
	});
}
