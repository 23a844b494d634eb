import type { Knex } from 'knex';
import * as v from 'valibot';
import { NO_RULES, type DialectRules } from '../../../core/config';
import {
	CHECK_KINDS,
	judge,
	type Answered,
	type Expectation,
	type Figure,
	type Judgement
} from '../../../core/proof';
import { cannotBeAsked, type Ask } from '../../../core/pack';
import type { Groups } from '../../../core/pattern';
import type { ReadyCheck } from '../../../core/profile';
import { ConnectionBroke, type ClaimedErrand, type Dialogue, type KnownUnit } from '../connections';
import { database, timeNow } from '../database';
import { unseal } from '../keys';
import { notify } from '../live';
import { cleanText } from '../../../core/text';
import { hidingAtPosition } from '../profile';
import { currentSettings } from '../settings';
import { describe, judged, LONGEST_DESCRIBED } from './judging';
import { settleProof } from './sites';

const inputSchema = v.object({ proofId: v.pipe(v.string(), v.uuid()) });

interface OpenCheck {
	readonly ordinal: number;
	readonly positionId: string;
	readonly siteId: string;
	readonly customerId: string;
	readonly expects: Expectation;
	readonly askedAt: Date | null;
}
type Found = (Judgement | { readonly state: 'cannot'; readonly words: string }) & {
	readonly heard?: readonly Groups[];
};

/** So long a check that does not hold yet is left alone before it is made again. */
const AGAIN = '2 seconds';

/**
 * Makes the open checks of one unit, each once, in their order. One that does not hold is made again for as long as its
 * kind is worth waiting for: by another errand, so that the unit is free for others meanwhile.
 */
export async function check({ unit, input }: ClaimedErrand, dialogue: Dialogue): Promise<string> {
	const { proofId } = v.parse(inputSchema, input);
	const open: OpenCheck[] = await database()('site_check')
		.join('site_proof', 'site_proof.id', 'proof_id')
		.where({ proof_id: proofId, unit_id: unit.unitId, 'site_proof.state': 'open' })
		.whereNull('site_check.ended_at')
		.orderBy('ordinal')
		.select({
			ordinal: 'ordinal',
			positionId: 'position_id',
			siteId: 'site_id',
			customerId: 'site_check.customer_id',
			expects: 'expects',
			askedAt: 'asked_at'
		});
	const [first] = open;
	if (!first) return 'Nothing is to be checked any more.';
	const given = await servedTo(unit.unitId, first.positionId, unit.modelId);
	const hidden = await hidingAtPosition(first.positionId);
	const asked = new Map<string, Promise<Answered>>();
	let holding = 0;
	// What was found is noted while the unit is asked the next: it need not wait for that
	let noted = begin(proofId, first.ordinal);
	for (const [index, one] of open.entries()) {
		const [found] = await Promise.all([
			attempt(one.expects, unit, { ...given, hidden }, dialogue, asked),
			noted
		]);
		const next = open[index + 1];
		noted = write(
			proofId,
			one,
			{ ...found, words: hidden(found.words).slice(0, LONGEST_DESCRIBED) },
			next ?? null
		);
		if (found.state === 'holds') holding++;
	}
	await noted;
	return `${holding} of ${open.length} hold.`;
}

interface Given {
	readonly rendering: string | null;
	readonly checks: readonly ReadyCheck[];
	readonly rules: Partial<DialectRules>;
}

async function servedTo(unitId: string, positionId: string, modelId: string): Promise<Given> {
	const [row, model] = await Promise.all([
		database()('served')
			.where({ unit_id: unitId, position_id: positionId })
			.orderBy('turn', 'desc')
			.first('rendering', 'checks'),
		database()('model').where({ id: modelId }).first('dialect_rules as rules')
	]);
	return {
		rendering: row?.rendering ? unseal(row.rendering) : null,
		checks: row?.checks ? (JSON.parse(unseal(row.checks)) as ReadyCheck[]) : [],
		rules: model.rules
	};
}

/** Asks what a check needs, and says what the answer means. The same question is asked once. */
async function attempt(
	expects: Expectation,
	unit: KnownUnit,
	{ hidden, ...given }: Given & { readonly hidden: (words: string) => string },
	dialogue: Dialogue,
	asked: Map<string, Promise<Answered>>
): Promise<Found> {
	try {
		if (expects.kind === 'configuration') return await compareRunning(unit, given, dialogue);
		if (expects.kind === 'command') {
			const ready = given.checks.find(({ name }) => name === expects.name);
			if (!ready) return { state: 'cannot', words: 'The profile has no such check any more.' };
			const askedAt = timeNow();
			const text = await dialogue.ask(ready.command, { shown: hidden(ready.command), hidden });
			return judge({ kind: 'command', ...ready }, { rows: [], text, askedAt, answeredAt: timeNow() });
		}
		const { ask } = CHECK_KINDS[expects.kind];
		if (ask === null || !dialogue.knows(ask)) return { state: 'cannot', words: cannotBeAsked(ask!) };
		const answer = await answerTo(ask, aboutOf(expects), dialogue, asked);
		return { ...judge(expects, answer), ...(ask === 'neighbours' && { heard: bounded(answer.rows) }) };
	} catch (error) {
		// Made again over the next connection: nothing is known
		if (error instanceof ConnectionBroke) throw error;
		return { state: 'unread', words: `It could not be read. ${(error as Error).message}` };
	}
}

const MOST_HEARD = 200;
const LONGEST_HEARD = 300;
/** What is kept of what a unit hears: it comes from boxes that anybody can plug in. */
const bounded = (rows: readonly Groups[]): readonly Groups[] =>
	rows
		.slice(0, MOST_HEARD)
		.map((row) =>
			Object.fromEntries(
				Object.entries(row).map(([name, value]) => [name, cleanText(value ?? '').slice(0, LONGEST_HEARD)])
			)
		);

const aboutOf = (expects: Expectation): { readonly host?: string } =>
	expects.kind === 'name' ? { host: expects.name } : 'host' in expects ? { host: expects.host } : {};

function answerTo(
	ask: Ask,
	about: { readonly host?: string },
	dialogue: Dialogue,
	asked: Map<string, Promise<Answered>>
): Promise<Answered> {
	const key = `${ask} ${about.host ?? ''}`;
	const before = asked.get(key);
	if (before) return before;
	const askedAt = timeNow();
	const answer = dialogue
		.read(ask, about)
		.then(({ rows, text }) => ({ rows, text, askedAt, answeredAt: timeNow() }));
	asked.set(key, answer);
	return answer;
}

async function compareRunning(unit: KnownUnit, given: Given, dialogue: Dialogue): Promise<Found> {
	if (given.rendering === null)
		return { state: 'fails', words: 'It was given nothing to run yet.', figures: [] };
	const { text: running } = await dialogue.read('configuration', {}, 'configuration');
	const result = await judged({
		dialect: unit.dialect,
		rules: { ...NO_RULES, ...given.rules },
		intended: given.rendering,
		running,
		targetVersion: null,
		runningVersion: ''
	});
	const figures: Figure[] = [{ name: 'differences', value: result.differences.length, unit: '' }];
	return result.holds
		? { state: 'holds', words: 'It runs exactly what it was given.', figures }
		: { state: 'fails', words: describe(result), figures };
}

async function begin(proofId: string, ordinal: number): Promise<void> {
	await database()('site_check')
		.where({ proof_id: proofId, ordinal })
		.whereNull('ended_at')
		.update({ state: 'asking', asked_at: database().raw('coalesce(asked_at, now())') });
}

/**
 * Notes what was found; of what may still come to hold, that it is looked at again. With that the `next` is begun, or, when
 * it was the unit's last, the proof ends if that was all it waited for.
 */
async function write(
	proofId: string,
	{ ordinal, siteId, customerId, expects, askedAt }: OpenCheck,
	found: Found,
	next: OpenCheck | null
): Promise<void> {
	const patience = Math.min(CHECK_KINDS[expects.kind].patience, currentSettings().LIMEN_PROOF_PATIENCE);
	const waited = askedAt === null ? 0 : (timeNow() - askedAt.getTime()) / 1000;
	const isOver = found.state === 'holds' || found.state === 'cannot' || waited >= patience;
	const note = (trx: Knex) =>
		trx.raw(
			`with written as (
				update site_check set state = :state, words = :words, figures = :figures, heard = :heard, tries = tries + 1,
					ended_at = case when :over then now() end, look_at = case when not :over then now() + interval '${AGAIN}' end
				where proof_id = :proof and ordinal = :ordinal and ended_at is null
			)
			update site_check set state = 'asking', asked_at = coalesce(asked_at, now())
			where proof_id = :proof and ordinal = :next and ended_at is null`,
			{
				proof: proofId,
				ordinal,
				state: isOver ? found.state : 'asking',
				words: found.words,
				figures: JSON.stringify('figures' in found ? found.figures : []),
				heard: found.heard ? JSON.stringify(found.heard) : null,
				over: isOver,
				next: next?.ordinal ?? null
			}
		);
	if (next) {
		await note(database());
		await notify(database(), 'proofs', customerId, [siteId]);
	} else
		await database().transaction(async (trx) => {
			await note(trx);
			await settleProof(trx, proofId);
		});
}
