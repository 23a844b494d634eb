import * as v from 'valibot';
import { URGENT } from '../../../core/errand';
import { ASK_KINDS, cannotBeAsked, tryPack, type Ask, type Trial } from '../../../core/pack';
import { done, refuse, type Act } from '../act';
import { answerTo, askErrand, onErrand, readingOf } from '../connections';
import { database } from '../database';
import { currentPack, packFrom, talkOf } from '../packs';
import { offMainThread, task } from '../threads';

const TRY_PACK = task<Parameters<typeof tryPack>, Trial>('tryPack');
/** So long whoever tries waits for a unit to answer. */
const PATIENCE_MS = 30_000;

export const askSchema = v.object({
	ask: v.picklist(ASK_KINDS, 'Choose what is asked.'),
	host: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(253)), '')
});
type Asking = v.InferOutput<typeof askSchema>;

/** From now on units are asked what their packs can ask. */
export const answerTrials = (): void =>
	onErrand('ask', async ({ input }, dialogue) => {
		const { ask, host } = v.parse(askSchema, input);
		await dialogue.saying(ask as Ask, { host }, 'answer');
		return 'Asked.';
	});

/** What a pack reads out of something that was printed. Both come from outside, so it is worked beside the main thread. */
export async function tryText(text: string, modelId: string, ask: Ask, printed: string): Promise<Act<Trial>> {
	const read = await packFrom(text);
	if (!read.ok)
		return refuse(`The pack is not right: line ${read.problems[0]!.line}: ${read.problems[0]!.message}`);
	return done(await offMainThread(TRY_PACK, [read.pack, modelId, ask, printed]));
}

/**
 * Asks a connected unit, and says what the pack in use reads out of its answer. Who may see its configuration may.
 * Refused: a unit that is not connected or does not answer in time.
 */
export async function tryUnit(
	unit: { readonly id: string; readonly makerId: string; readonly modelId: string },
	asking: Asking
): Promise<Act<{ readonly printed: string; readonly trial: Trial }>> {
	const pack = await currentPack(unit.makerId);
	const talk = await talkOf(unit.makerId, unit.modelId);
	if (!pack || !talk) return refuse('There is no pack for units of this model.');
	if (!talk.asks[asking.ask as Ask]) return refuse(cannotBeAsked(asking.ask as Ask));
	const errand = await database().transaction((trx) =>
		askErrand(trx, {
			unitId: unit.id,
			kind: 'ask',
			input: asking,
			priority: URGENT,
			waits: PATIENCE_MS,
			ifConnected: true
		})
	);
	if (errand === null) return refuse('The unit is not connected at this moment.');
	const answer = await answerTo(errand, PATIENCE_MS);
	const reading = answer && (await readingOf(errand, 'answer'));
	if (!reading) return refuse(answer?.state === 'failed' ? answer.words : 'The unit did not answer in time.');
	const trial = await offMainThread(TRY_PACK, [pack, unit.modelId, asking.ask as Ask, reading.content]);
	return done({ printed: reading.content, trial });
}
