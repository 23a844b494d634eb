import type { Knex } from 'knex';
import {
	nextRotationStep,
	rotationHasEnded,
	rotationWords,
	type RotationEnd,
	type RotationState
} from '../../../core/secret';
import { sendHasEnded, type SendState } from '../../../core/send';
import { cleanText, counted } from '../../../core/text';
import { TakenBack } from '../change';
import { askErrand } from '../connections';
import { database, timeNow } from '../database';
import { enterInLedger, LIMEN } from '../ledger';
import { notify } from '../live';
import { log } from '../log';
import { sendAt } from '../send';
import { currentSettings } from '../settings';
import { dropKeysNobodyNeeds } from './key';
import { putBack, type Was } from './renew';
import { holdersOf, lockedSecrets } from './store';

interface Going {
	readonly id: string;
	readonly unitId: string;
	readonly customerId: string;
	readonly state: RotationState;
	readonly words: string;
	readonly provingSince: Date | null;
}
interface End {
	readonly unitId: string;
	readonly positionId: string;
	readonly place: string;
	readonly state: SendState | null;
	readonly proved: boolean | null;
	readonly words: string;
	readonly isAsked: boolean;
}

/** So long after its patience a unit that is away may still come back to be proved. */
const AWAY_MS = 300_000;

/** Goes on with all rotations as far as they can be. Runs as BOOTSTRAP. */
export async function goOnWithRotations(isStopping: () => boolean = () => false): Promise<void> {
	const ids: string[] = await database()('rotation').whereNull('ended_at').orderBy('begun_at').pluck('id');
	for (const id of ids) {
		if (isStopping()) return;
		try {
			while (await oneStep(id));
		} catch (error) {
			log.error({ rotation: id, error: (error as Error).stack }, 'a rotation could not go on');
		}
	}
	await noteFinished();
	await dropKeysNobodyNeeds();
}

/** Looking who lacks a secret of a whole customer reads all its units. */
const LOOK_EVERY_MS = 60_000;
let lookedAt = -Infinity;

/** What all its units were brought to by other sends needs the one before no more. */
async function noteFinished(): Promise<void> {
	if (performance.now() - lookedAt < LOOK_EVERY_MS) return;
	lookedAt = performance.now();
	const ids: string[] = await database()('secret')
		.whereNotNull('previous')
		// What is being proved, or could not be, is not proved by this
		.whereNotExists((renewal) =>
			renewal
				.from('rotation_secret')
				.join('rotation', 'rotation.id', 'rotation_id')
				.whereRaw('rotation_secret.secret_id = secret.id')
				.whereRaw(`(ended_at is null or state = 'failed' and begun_at >= secret.since - interval '1 minute')`)
		)
		.pluck('id');
	if (ids.length === 0) return;
	const holders = await holdersOf(database(), ids);
	for (const id of ids) {
		const own = holders.filter(({ secretId }) => secretId === id);
		if (own.length === 0 || own.some(({ runsOld }) => runsOld)) continue;
		await database()('secret')
			.where({ id })
			.update({
				previous: null,
				proved_at: database().fn.now(),
				proof: `${counted(own.length, 'unit')} took it in sends that were confirmed.`
			});
	}
}

/** One step, in one transaction; whether there may be another. */
const oneStep = (id: string): Promise<boolean> =>
	database().transaction(async (trx) => {
		const going: Going | undefined = await trx('rotation')
			.where({ id, ended_at: null })
			.forUpdate()
			.skipLocked()
			.first(
				'id',
				'unit_id as unitId',
				'customer_id as customerId',
				'state',
				'words',
				'proving_at as provingSince'
			);
		if (!going) return false;
		const ends = await endsOf(trx, id);
		const own = await trx('rotation_secret')
			.join('secret', 'secret.id', 'secret_id')
			.where({ rotation_id: id })
			.select(
				'secret_id as id',
				'was',
				'before',
				trx.raw('num_nonnulls(position_id, tunnel_id) = 1 as "isOwn"')
			);
		const canReturn = own.length > 0 && own.every(({ before, isOwn }) => before !== null && isOwn);
		const step = nextRotationStep(going.state, ends.map(standing), canReturn);
		if (step === 'prove') await move(trx, going, 'proving', { proving_at: trx.fn.now() });
		else if (step === 'wait') {
			if (going.state === 'proving') await askForProof(trx, going, ends);
			return false;
		} else if (step === 'keep') await keep(trx, going, ends);
		else if (step === 'return') await turnBack(trx, going, ends, own);
		else await giveUp(trx, going, ends);
		await notify(trx, 'sends', going.customerId);
		return true;
	});

async function endsOf(trx: Knex, id: string): Promise<End[]> {
	const { rows } = await trx.raw(
		`select r.unit_id as "unitId", r.position_id as "positionId", position.name || ' at ' || site.name as place, send.state, proved, r.words,
			(errand.state in ('waiting', 'under way') and errand.deadline > now()) is true or coalesce(r.look_at > now(), false) as "isAsked"
		from rotation_end r join position on position.id = r.position_id join site on site.id = position.site_id
		left join send on send.id = r.send_id left join errand on errand.id = r.errand_id
		where rotation_id = ? order by place`,
		[id]
	);
	return rows;
}
const standing = ({ state, proved }: End): RotationEnd => ({
	sent:
		state === null
			? 'not sent'
			: !sendHasEnded(state)
				? 'open'
				: state === 'confirmed'
					? 'confirmed'
					: 'not sent',
	proved
});

const move = (trx: Knex, { id }: Going, state: RotationState, more: Readonly<Record<string, unknown>> = {}) =>
	trx('rotation')
		.where({ id })
		.update({ state, ...more, ...(rotationHasEnded(state) && { ended_at: trx.fn.now() }) });

/** Asks each end that is not proved yet; one that stays away, or that nothing comes of, is not waited for. */
async function askForProof(trx: Knex, { id, provingSince }: Going, ends: readonly End[]): Promise<void> {
	const isLate =
		timeNow() - (provingSince?.getTime() ?? 0) > currentSettings().LIMEN_PROOF_PATIENCE * 1_000 + AWAY_MS;
	for (const end of ends) {
		if (end.proved !== null || (end.isAsked && !isLate)) continue;
		const row = trx('rotation_end').where({ rotation_id: id, unit_id: end.unitId });
		if (isLate)
			await row.update({
				proved: false,
				words: `${end.place}: ${end.words || 'It did not come back to be asked.'}`
			});
		else {
			const errand = await askErrand(trx, { unitId: end.unitId, kind: 'secret', ifConnected: true });
			if (errand !== null) await row.update({ errand_id: errand });
		}
	}
	if (isLate) await notify(trx, 'sends', null);
}

/** The new ones are good: those before are destroyed, of one that several units share once all of them run the new one. */
async function keep(trx: Knex, going: Going, ends: readonly End[]): Promise<void> {
	await move(trx, going, 'done');
	const ids: string[] = await trx('rotation_secret').where({ rotation_id: going.id }).pluck('secret_id');
	const held = await lockedSecrets(trx, ids);
	const holders = await holdersOf(trx, ids);
	const proof = cleanText([...new Set(ends.map(({ words }) => words))].filter(Boolean).join(' ')).slice(
		0,
		500
	);
	for (const { id } of held) {
		const all = holders.filter(({ secretId }) => secretId === id);
		if (all.some(({ runsOld }) => runsOld)) continue;
		const shared = all.length > 1 ? `All ${all.length} units run the new one. ` : '';
		await trx('secret')
			.where({ id })
			.update({ proved_at: trx.fn.now(), proof: `${shared}${proof}`.slice(0, 500), previous: null });
	}
	await forgetBefore(trx, going);
	await entered(trx, going, 'secrets renewed', `What was renewed is proved. ${proof}`);
}

/** What was kept for going back and for trying logins. */
async function forgetBefore(trx: Knex, { id }: Going): Promise<void> {
	await trx('rotation_secret').where({ rotation_id: id }).update({ was: null, before: null });
	await trx('rotation_end').where({ rotation_id: id }).update({ trials: null });
}

interface Own {
	readonly id: string;
	readonly was: Was | null;
	readonly before: string | null;
}
/** The plan has the old ones again, and ends that took the new ones are sent them. */
async function turnBack(trx: Knex, going: Going, ends: readonly End[], own: readonly Own[]): Promise<void> {
	const held = await lockedSecrets(
		trx,
		own.map(({ id }) => id)
	);
	for (const secret of held) {
		const { was, before } = own.find(({ id }) => id === secret.id)!;
		await putBack(trx, secret, was!, before!);
	}
	const words = cleanText(ends.flatMap(({ words, proved }) => (proved === false ? [words] : [])).join(' '));
	await move(trx, going, 'returning', { words: words.slice(0, 2_000) });
	const taken = ends.filter(({ state }) => state === 'confirmed');
	for (const { unitId, place } of taken) {
		const sent = await returnTo(trx, unitId);
		await trx('rotation_end')
			.where({ rotation_id: going.id, unit_id: unitId })
			.update(
				typeof sent === 'string'
					? { send_id: null, words: `${place}: ${sent}`.slice(0, 500) }
					: { send_id: sent.id }
			);
	}
	await trx('rotation_end')
		.where({ rotation_id: going.id })
		.whereNotIn(
			'unit_id',
			taken.map(({ unitId }) => unitId)
		)
		.update({ send_id: null });
}

const RETURNS = 'The new secret could not be proved; the one before is sent again.';
/** One end is sent what it should run again; or why it cannot be, which a person is told. */
async function returnTo(trx: Knex, unitId: string): Promise<{ readonly id: string } | string> {
	try {
		return await trx.transaction(async (apart) => {
			const sent = await sendAt(
				apart,
				unitId,
				{ wanted: { kind: 'due' }, asked: true },
				{ ...LIMEN, reason: RETURNS }
			);
			if (!sent.ok) throw new TakenBack(sent);
			return { id: sent.done.sendId };
		});
	} catch (error) {
		if (error instanceof TakenBack) return error.refusal.problem;
		throw error;
	}
}

async function giveUp(trx: Knex, going: Going, ends: readonly End[]): Promise<void> {
	const stuck = ends.filter(({ state, proved }) =>
		going.state === 'returning'
			? state !== null && state !== 'confirmed'
			: proved === false || state !== 'confirmed'
	);
	const notReturned = ends.filter(
		({ state, words }) => going.state === 'returning' && state === null && words !== ''
	);
	const said = [
		going.words,
		...stuck.map(({ place, state, words }) => `${place}: ${words || (state === null ? 'not sent' : state)}.`),
		...notReturned.map(({ words }) => words),
		going.state === 'returning'
			? stuck.length + notReturned.length === 0
				? 'The one before is in use again.'
				: 'Not every end runs the one before again: look at them.'
			: ''
	];
	const words = cleanText([...new Set(said)].filter(Boolean).join(' ')).slice(0, 2_000);
	await move(trx, going, 'failed', { words });
	await forgetBefore(trx, going);
	await entered(trx, going, 'secrets not renewed', `${rotationWords('failed')} ${words}`);
}

const entered = (trx: Knex, { unitId, customerId, id }: Going, act: string, words: string) =>
	enterInLedger(trx, LIMEN, [
		{
			act,
			customerId,
			subjectKind: 'unit',
			subjectId: unitId,
			words: words.slice(0, 1_000),
			detail: { rotationId: id }
		}
	]);
