import { NO_RULES } from '../../../core/config';
import { refuse, done, type Act } from '../act';
import { latestReading, type Reading } from '../connections';
import { database, timeNow } from '../database';
import { talkOf } from '../packs';
import { judged, readRunning } from '../proof';
import { alignedTexts, hidingAt } from '../profile';
import { commandsAt } from './commands';
import { boundUnit, cannotBeSent } from './ask';
import { interruptsOf, type Interrupts } from './interrupts';
import { DUE, plannedFor, type Planned, type Wanted } from './planned';

/** What a send would change, for somebody to look at before. */
export interface Comparison extends Pick<Planned, 'fingerprint' | 'words' | 'undoes'> {
	readonly readingId: string;
	readonly readAt: Date;
	/** It runs this already. */
	readonly isSame: boolean;
	/** Both in the same order, secrets masked. */
	readonly running: string;
	readonly intended: string;
	/** After so many seconds without a confirmation the unit goes back. */
	readonly seconds: number;
	/** What is said to it, a line each, secrets masked; null where the whole is replaced. */
	readonly commands: readonly string[] | null;
	/** Why the whole is replaced although its maker has words for single changes. */
	readonly whyWhole: string | null;
	readonly interrupts: Interrupts;
}
/** A reading that is no older is looked at as it is. */
const READ_ANEW_MS = 10 * 60_000;

/**
 * What a unit runs beside what somebody wants it to run; read from it unless that was done a moment ago (`anew`: in any
 * case). Whoever may see renderings may look. Refused: what could not be sent, with the reason; a unit that cannot be read.
 */
export async function lookBeforeSending(
	unitId: string,
	anew: boolean,
	wanted: Wanted = DUE
): Promise<Act<Comparison>> {
	const unit = await boundUnit(unitId);
	if (!unit) return refuse('This unit is bound to no position.');
	const rule = (await talkOf(unit.makerId, unit.modelId))?.send;
	if (!rule) return refuse(cannotBeSent(unit.modelName));
	const reading = (anew ? null : await recentReading(unitId)) ?? (await readRunning(unitId));
	if (!reading) return refuse('The unit is not connected at this moment, so what it runs cannot be read.');
	const planned = await plannedFor(database(), unitId, unit.positionId, wanted, reading);
	if (!planned.ok) return planned;
	const { source, text, fingerprint, words, undoes } = planned.done;
	const { dialect, rules } = source.model!;
	const two = { dialect, rules: { ...NO_RULES, ...rules }, intended: text, running: reading.content };
	const [commands, hidden, { holds }, aligned, interrupts] = await Promise.all([
		rule.edit.length > 0 ? commandsAt(source, rule, { intended: text, running: reading.content }) : null,
		hidingAt(source),
		judged({ ...two, targetVersion: null, runningVersion: '' }),
		alignedTexts(source, two),
		interruptsOf(source, { intended: text, running: reading.content })
	]);
	return done({
		readingId: reading.id,
		readAt: reading.at,
		fingerprint,
		words,
		undoes,
		isSame: holds,
		interrupts,
		running: aligned?.running ?? hidden(reading.content),
		intended: aligned?.intended ?? hidden(text),
		seconds: rule.seconds,
		commands: commands?.ok ? hidden(commands.commands.join('\n')).split('\n') : null,
		whyWhole: commands?.ok === false ? commands.why : null
	});
}

/** The last reading, unless it is old or something was set off since: what it says is not so any more. */
async function recentReading(unitId: string): Promise<Reading | null> {
	const last = await latestReading(unitId, 'configuration');
	if (!last || last.at.getTime() < timeNow() - READ_ANEW_MS) return null;
	const since = await database()('send')
		.where({ unit_id: unitId })
		.where('committed_at', '>=', last.at)
		.first('id');
	return since ? null : last;
}
