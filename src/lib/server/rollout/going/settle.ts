import type { Knex } from 'knex';
import { flashTitle, flashWords, type FlashState } from '../../../../core/firmware';
import type { RolloutKind } from '../../../../core/rollout';
import { rotationTitle, rotationWords, type RotationState } from '../../../../core/secret';
import { sendTitle, sendWords, type SendState } from '../../../../core/send';
import { signatureOf } from '../../../../core/watch';
import type { Going } from './going';

interface Ended {
	readonly unit: string;
	readonly serial: string;
	readonly site: string;
	readonly position: string;
	readonly flash: FlashState | null;
	readonly send: SendState | null;
	readonly rotation: RotationState | null;
	readonly refusal: string | null;
	readonly isBack: boolean;
	readonly isAway: boolean;
	readonly isUnbound: boolean;
	/** The stance that it was to get is stated for it. */
	readonly isStated: boolean;
	readonly at: Date | null;
}

/** Who has not come back in so long has failed, whatever comes of it later. */
const AWAY = '15 minutes';

/** Notes what has ended; how many that were. */
export async function settle(trx: Knex, { id, kind }: Going): Promise<number> {
	const { rows } = await trx.raw(
		`select item.unit_id as unit, serial, site.name as site, position.name as position, coalesce(flash.ended_at, send.ended_at, rotation.ended_at) as at,
			case when flash.ended_at is not null then flash.state end as flash, case when send.ended_at is not null then send.state end as send,
			case when rotation.ended_at is not null then rotation.state end as rotation, coalesce(flash.refusal, send.refusal, rotation.words, errand.words) as refusal,
			errand.state = 'done' and exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null and c.since > errand.begun_at) as "isBack",
			coalesce(flash.ended_at is null and flash.state = 'installing' and flash.said_at < now() - interval '${AWAY}', false)
				or coalesce(errand.state = 'done' and errand.ended_at < now() - interval '${AWAY}', false) or errand.state in ('failed', 'expired', 'cancelled', 'uncertain') as "isAway",
			binding.unit_id is null as "isUnbound",
			:stance and coalesce((select stance from stance where stance.unit_id = item.unit_id), '') = item.gets as "isStated"
		from rollout_item item join any_unit unit on unit.id = item.unit_id join site on site.id = item.site_id join position on position.id = item.position_id
		left join flash on flash.id = item.flash_id left join send on send.id = item.send_id left join errand on errand.id = item.errand_id
		left join rotation on rotation.id = item.rotation_id
		left join binding on binding.unit_id = item.unit_id and binding.position_id = item.position_id
		where item.rollout_id = :id and item.state = 'under way' and (:stance or coalesce(item.flash_id, item.send_id, item.errand_id, item.rotation_id) is not null)
		order by coalesce(flash.ended_at, send.ended_at, rotation.ended_at)`,
		{ id, stance: kind === 'stance' }
	);
	const outcomes = (rows as Ended[]).flatMap((one) => {
		const outcome = outcomeOf(one, kind);
		return outcome ? [{ unit: one.unit, at: one.at, ...outcome }] : [];
	});
	if (outcomes.length > 0)
		await trx.raw(
			`update rollout_item item set state = o.state, words = o.words, signature = o.signature, ended_at = coalesce(o.at, clock_timestamp()),
				ended_as = before.outcomes + o.ordinal
			from rows from (jsonb_to_recordset(:outcomes::jsonb) as (unit uuid, at timestamptz, state text, words text, signature text)) with ordinality as o(unit, at, state, words, signature, ordinal),
				(select coalesce(max(ended_as), 0) as outcomes from rollout_item where rollout_id = :id) before
			where item.rollout_id = :id and item.unit_id = o.unit`,
			{ id, outcomes: JSON.stringify(outcomes) }
		);
	// What came late is told, though it failed
	await trx.raw(
		`update rollout_item item set words = item.words || ' Later it did.' from flash
		where flash.id = item.flash_id and item.rollout_id = ? and item.state = 'failed' and flash.state = 'done' and item.words not like '%Later it did.'`,
		[id]
	);
	return outcomes.length;
}

function outcomeOf(one: Ended, kind: RolloutKind) {
	const failed = (title: string, words: string) => ({
		state: 'failed',
		words: words.slice(0, 2_000),
		signature: signatureOf({ step: 'firmware', kind: 'proof', words: `${title} ${words}` }, null, [
			one.serial,
			one.site,
			one.position
		]).key.slice(0, 500)
	});
	const went = { state: 'done', words: '', signature: '' };
	if (one.flash)
		return one.flash === 'done'
			? went
			: failed(flashTitle(one.flash), `${flashWords(one.flash)} ${one.refusal ?? ''}`.trim());
	if (one.send)
		return one.send === 'confirmed'
			? went
			: failed(sendTitle(one.send), `${sendWords(one.send)} ${one.refusal ?? ''}`.trim());
	if (one.rotation)
		return one.rotation === 'done'
			? went
			: failed(rotationTitle(one.rotation), `${rotationWords(one.rotation)} ${one.refusal ?? ''}`.trim());
	if ((kind === 'restart' && one.isBack) || one.isStated) return went;
	if (one.isAway)
		return failed('away', kind === 'restart' && one.refusal ? one.refusal : 'It has not come back.');
	// A rotation comes to its end by itself
	return one.isUnbound && kind !== 'secret' ? failed('unbound', 'It was taken from its position.') : null;
}
