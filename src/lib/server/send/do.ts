import { timerOf, type Sent } from '../../../core/pack';
import { URGENT } from '../../../core/errand';
import {
	nextStep,
	sendHasEnded,
	sendWords,
	togetherOf,
	toOthers,
	type Finds,
	type Send,
	type SendEvent
} from '../../../core/send';
import { retryRun } from '../binding';
import {
	askErrand,
	ConnectionBroke,
	onErrand,
	onWelcome,
	type ClaimedErrand,
	type Dialogue
} from '../connections';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { LIMEN } from '../ledger';
import { hidingAt, renderingSources, type RenderingSource } from '../profile';
import { judged, proveAfterSend } from '../proof';
import { lookSoon } from '../reachability';
import { onBeat } from '../jobs';
import { log } from '../log';
import { commandsAt } from './commands';
import { openSend, record, sendsTogether, type Fence, type StoredSend } from './store';

/** From now on what is to be sent is sent, and what was set off is looked after until it has ended. */
export function startSends(): void {
	onErrand('send', setOff);
	onErrand('settle', settle);
	onWelcome(({ unitId }) => lookWhenItComes(unitId));
	onBeat(lookAfter);
}

const hangUp = (words: string) => ({ words, hangUp: true });
const sourceOf = async ({ positionId }: StoredSend): Promise<RenderingSource | undefined> =>
	(await renderingSources(database(), [positionId])).get(positionId);
async function setOff({ id, unit, session }: ClaimedErrand, dialogue: Dialogue) {
	const stored = await openSend(unit.unitId);
	if (!stored || stored.send.state !== 'waiting') return 'Nothing waits to be sent.';
	const fence: Fence = { errandId: id, session };
	const rule = dialogue.sending;
	const source = await sourceOf(stored);
	let said: Sent = { configuration: stored.intended, token: stored.token };
	const hidden = await hidingAt(source);
	const tell = (event: SendEvent) => record(stored.id, event, fence);
	const step = (name: Parameters<Dialogue['change']>[0]) => dialogue.change(name, said, hidden);
	await tell({ kind: 'begun' });
	let isSetOff = false;
	// Before its own text is being loaded, what lies loaded at the unit is somebody else's: only a person throws that away
	let isOurs = false;
	const commitSaid = async () => {
		isSetOff = true;
		await tell({ kind: 'commit said', at: timeNow() });
	};
	try {
		if (!rule || timerOf(rule) !== stored.terms.timer)
			throw new Error('The pack of this model says otherwise now how a configuration is sent. Look again.');
		if (togetherOf((await sendsTogether(stored)).map((one) => one.send)) === 'lost')
			throw new Error('What is sent together with it was not taken.');
		const running = await asItWas(stored, dialogue);
		const made =
			source && rule.edit.length > 0
				? await commandsAt(source, rule, { intended: stored.intended, running })
				: null;
		if (made?.ok) said = { ...said, commands: made.commands };
		if (stored.discards) await step('undo').catch(unlessItBroke);
		if (rule.effect === 'begin') await commitSaid();
		await step('begin');
		isOurs = true;
		await step(made?.ok ? 'edit' : 'load');
		await step('check');
		if (!isSetOff) await commitSaid();
		await step('commit');
		await tell({ kind: 'commit answered' });
	} catch (error) {
		if (error instanceof ConnectionBroke && isSetOff) throw error;
		const words = hidden((error as Error).message);
		if (isSetOff) {
			await tell({ kind: 'commit refused', words });
			if (rule?.effect === 'commit') await step('undo').catch(unlessItBroke);
			return hangUp(`It refused: ${words}`);
		}
		if (isOurs && !(error instanceof ConnectionBroke)) await step('undo').catch(unlessItBroke);
		await tell({ kind: 'given up', words });
		await lookAtOthers(stored);
		throw error instanceof ConnectionBroke ? error : new Error(words, { cause: error });
	}
	await step('end').catch(unlessItBroke);
	return hangUp(
		`Set off. It has to come back with it within ${stored.terms.timer / 1000} s, or it goes back by itself.`
	);
}

const unlessItBroke = (error: Error): void => {
	if (error instanceof ConnectionBroke) throw error;
};

/** What it runs. Rejects when the unit runs something else than when somebody looked, or runs it already. */
async function asItWas(stored: StoredSend, dialogue: Dialogue): Promise<string> {
	const { text } = await dialogue.read('configuration', {}, 'configuration');
	if (await isSame(stored, stored.intended, text))
		throw new Error('It runs this already; there is nothing to send.');
	if (!(await isSame(stored, stored.before, text)))
		throw new Error('What it runs has changed since somebody looked. Look again before you send.');
	return text;
}

const isSame = async ({ dialect, rules }: StoredSend, intended: string, running: string): Promise<boolean> =>
	(await judged({ dialect, rules, intended, running, targetVersion: null, runningVersion: '' })).holds;

/** No send needs as many steps in one go; a unit that has others say something else each time is left. */
const MOST_STEPS = 8;

async function settle({ id, unit, session }: ClaimedErrand, dialogue: Dialogue) {
	const stored = await openSend(unit.unitId);
	if (!stored) return 'No send is under way.';
	const fence: Fence = { errandId: id, session };
	const said = { configuration: stored.intended, token: stored.token };
	const hidden = await hidingAt(await sourceOf(stored));
	let send = stored.send;
	let canGoBack = (dialogue.sending?.back.length ?? 0) > 0;
	/** Over another connection than the one that set it off, or was first seen to have. */
	let { session: setOffOver } = stored;
	const tell = async (event: SendEvent) => {
		send = await record(stored.id, event, fence);
		if (send.found?.anew === false) setOffOver = session;
	};
	for (let count = 0; count < MOST_STEPS && !sendHasEnded(send.state); count++) {
		const others = togetherOf((await sendsTogether(stored)).map((one) => one.send));
		switch (count === 0 ? 'look' : nextStep(send, timeNow(), stored.terms, canGoBack, others)) {
			case 'look': {
				const at = timeNow();
				const { text } = await dialogue.read('configuration', {}, 'configuration');
				const before = toOthers(send);
				await tell({ kind: 'read', finds: await found(stored, text), at, anew: session !== setOffOver });
				if (before === 'waiting' && toOthers(send) === 'ready') await lookAtOthers(stored);
				break;
			}
			case 'confirm':
				await tell({ kind: 'confirm said' });
				await tell(await confirming(dialogue.change('confirm', said, hidden), hidden));
				break;
			case 'go back':
				canGoBack = false;
				await tell({ kind: 'back said' });
				// What it refuses, its timer does
				if (await dialogue.change('back', said, hidden).then(() => true, asRefused))
					await tell({ kind: 'back answered' });
				break;
			case 'hang up':
				await tell({ kind: 'hung up' });
				return hangUp('It has to come back over a new connection.');
			default:
				return endWords(send);
		}
	}
	if (send.state === 'confirmed') await afterEnd(stored, dialogue.knows('saved'));
	if (sendHasEnded(send.state)) await lookAtOthers(stored);
	return endWords(send);
}

/** Those that are confirmed with it or not at all may have waited for it. */
async function lookAtOthers(stored: StoredSend): Promise<void> {
	for (const other of await sendsTogether(stored))
		if (other.send.committedAt !== null && !sendHasEnded(other.send.state)) await look(other.unitId);
}

/** A unit was changed as it should be: it is read, and it and its site are proven anew. */
export async function afterEnd(
	ended: Pick<StoredSend, 'unitId' | 'positionId'>,
	isRead = true
): Promise<void> {
	const { unitId, positionId } = ended;
	if (isRead)
		await database().transaction((trx) =>
			askErrand(trx, { unitId, kind: 'read', why: 'send', ifConnected: true })
		);
	await proveAnew(ended);
	await proveAfterSend(positionId);
	await lookSoon(database(), [positionId]);
}

const endWords = ({ state, refusal }: Send): string =>
	`${sendWords(state)}${refusal && state !== 'confirmed' ? ` It said: ${refusal}` : ''}`;

const asRefused = (error: Error): false => {
	unlessItBroke(error);
	return false;
};
async function confirming(saying: Promise<void>, hidden: (words: string) => string): Promise<SendEvent> {
	try {
		await saying;
		return { kind: 'confirm answered' };
	} catch (error) {
		unlessItBroke(error as Error);
		return { kind: 'confirm refused', words: hidden((error as Error).message) };
	}
}

async function found(stored: StoredSend, running: string): Promise<Finds> {
	if (await isSame(stored, stored.intended, running)) return 'intended';
	return (await isSame(stored, stored.before, running)) ? 'before' : 'other';
}

/** A unit that failed its proof for what it ran is proven with what it runs now. */
async function proveAnew({ positionId, unitId }: Pick<StoredSend, 'unitId' | 'positionId'>): Promise<void> {
	const failed = await database()('binding')
		.join('run', 'run.id', 'binding.run_id')
		.where({ 'binding.position_id': positionId, 'binding.unit_id': unitId })
		.where({ outcome: 'failed', failure_kind: 'proof' })
		.first('run.id');
	if (failed) await retryRun(positionId, LIMEN);
}

/** A unit came back: whether a send of it waits for that, of many in one query. */
const lookWhenItComes = grouped<string, void>(BOOTSTRAP, async (unitIds) => {
	const waiting = await database()('send')
		.whereIn('unit_id', [...unitIds])
		.whereNull('ended_at')
		.whereNotNull('committed_at')
		.select('unit_id as unitId');
	for (const { unitId } of waiting) await look(unitId as string);
	return unitIds.map(() => undefined);
});

/** So often it is looked for how a send has ended, when the reading of it fails. */
const LOOK_AGAIN = '60 seconds';
const look = (unitId: string): Promise<unknown> =>
	database().transaction(async (trx) => {
		const errand = await askErrand(trx, {
			unitId,
			kind: 'settle',
			priority: URGENT,
			why: 'send',
			ifConnected: true
		});
		if (errand === null) return;
		await trx('send')
			.where({ unit_id: unitId, ended_at: null })
			.where('look_at', '<=', trx.fn.now())
			.update({ look_at: trx.raw(`now() + interval '${LOOK_AGAIN}'`) });
	});

/** What nothing else goes on with: sends whose errand ended without them, whose unit is away from its place, or that are to be looked at. */
async function lookAfter(): Promise<void> {
	const { rows } = await database().raw(
		`select send.id, send.unit_id as "unitId", send.committed_at is null as "isNew", coalesce(errand.words, '') as words,
			binding.unit_id is null as "isAway"
		from send
		left join errand on errand.id = send.errand_id
		left join binding on binding.position_id = send.position_id and binding.unit_id = send.unit_id
		where send.ended_at is null and (
			binding.unit_id is null or send.look_at <= now()
			or (send.committed_at is null and coalesce(errand.state, '') not in ('waiting', 'under way')))`
	);
	for (const send of rows as Neglected[])
		await goOnWith(send).catch((error: Error) =>
			log.info({ send: send.id, error: error.message }, 'a send could not be looked after')
		);
}

interface Neglected {
	readonly id: string;
	readonly unitId: string;
	readonly isNew: boolean;
	readonly words: string;
	readonly isAway: boolean;
}
async function goOnWith({ id, unitId, isNew, words, isAway }: Neglected): Promise<void> {
	const nothingDone = words || 'It was broken off before anything changed.';
	if (isAway) await record(id, { kind: 'let go' }, null);
	else if (isNew) await record(id, { kind: 'given up', words: nothingDone }, null);
	else await look(unitId);
}
