import type { Knex } from 'knex';
import { structuredPatch } from 'diff';
import { NO_RULES } from '../../../core/config';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { latestReading } from '../connections';
import { apartFromTransaction, database } from '../database';
import { beginLongWork, onLongWork, type Said } from '../jobs';
import type { Actor } from '../ledger';
import { talkOf } from '../packs';
import { alignedTexts, hidingAt, type RenderingSource } from '../profile';
import { judged } from '../proof';
import { boundUnit, cannotBeSent } from './ask';
import { commandsAt } from './commands';
import { DUE, plannedFor, type Wanted } from './planned';

const LOOK = 'look before sending';
export const MOST_LOOKED_AT = 2_000;

/** From now on what would be said to many units is looked at, one unit after the other. */
export const startLookingAtMany = (): void =>
	onLongWork(LOOK, (trx, about, actor) => saidTo(trx, about.unit!, wantedFrom(about), actor));

/** A unit, and what would be sent to it. */
export interface ToLookAt {
	readonly unitId: string;
	readonly wanted: Wanted;
}
const aboutOf = (unit: string, wanted: Wanted): Record<string, string> =>
	wanted.kind === 'part'
		? { unit, findings: wanted.findings.join(',') }
		: wanted.kind === 'restore'
			? { unit, version: wanted.version }
			: { unit };
const wantedFrom = ({ findings, version }: Readonly<Record<string, string>>): Wanted =>
	findings ? { kind: 'part', findings: findings.split(',') } : version ? { kind: 'restore', version } : DUE;

/**
 * Looks at exactly what many units would be told, as long work that shows those together that are told the same. Nothing is
 * asked of a unit: each is compared as it was read last. `aboutId`: what it is looked at for. Whoever may send at their
 * customers may; what is at others is left out, as when it is sent. Refused: when none is left, or there are too many.
 */
export async function lookAtMany(
	aboutId: string,
	units: readonly ToLookAt[],
	actor: Actor
): Promise<Act<{ readonly id: string }>> {
	if (units.length > MOST_LOOKED_AT)
		return refuse(`At most ${MOST_LOOKED_AT.toLocaleString('en')} units at one go.`);
	const wanted = new Map(units.map((one) => [one.unitId, one.wanted]));
	const places: { unit: string; customerId: string; subject: string }[] = await database()('binding')
		.join('position', 'position.id', 'binding.position_id')
		.join('site', 'site.id', 'position.site_id')
		.whereIn('unit_id', [...wanted.keys()])
		.orderBy('subject')
		.select({
			unit: 'unit_id',
			customerId: 'binding.customer_id',
			subject: database().raw(`site.name || ', ' || position.name`)
		});
	if (places.length === 0) return refuse('None of these units has a place any more.');
	const mine = places.filter(({ customerId }) => actor.may('send', customerId));
	if (mine.length === 0) return refuse('You may not send to units of this customer.');
	const things = mine.map(({ unit, ...thing }) => ({
		...thing,
		about: aboutOf(unit, wanted.get(unit) ?? DUE)
	}));
	const title = `What ${counted(mine.length, 'unit')} would be told`;
	return database().transaction((trx) => beginLongWork(trx, { kind: LOOK, title, things, aboutId }, actor));
}

async function saidTo(trx: Knex, unitId: string, wanted: Wanted, actor: Actor): Promise<Act<string | Said>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('see renderings', unit.customerId))
		return refuse('You may not see what units of this customer run.');
	const rule = (await apartFromTransaction(() => talkOf(unit.makerId, unit.modelId)))?.send;
	if (!rule) return refuse(cannotBeSent(unit.modelName));
	const reading = await latestReading(unitId, 'configuration', trx);
	if (!reading) return refuse('What it runs was not read yet.');
	const planned = await plannedFor(trx, unitId, unit.positionId, wanted, reading);
	if (!planned.ok) return planned;
	const { source, text: intended } = planned.done;
	const running = reading.content;
	const commands = rule.edit.length > 0 ? await commandsAt(source, rule, { intended, running }) : null;
	if (!commands?.ok) return wholeTo(source, { intended, running });
	if (commands.commands.length === 0) return done(IS_SAME);
	const shown = (await hidingAt(source))(commands.commands.join('\n'));
	return done({ words: 'told just this', shown });
}

const IS_SAME = 'It runs this already.';
/** Where more lines change, nobody reads them line by line. */
const MOST_CHANGED = 2_000;

/** Where the whole is replaced: which lines go and which come. */
async function wholeTo(
	source: RenderingSource,
	two: { readonly intended: string; readonly running: string }
): Promise<Act<string | Said>> {
	const { dialect, rules } = source.model!;
	const both = { ...two, dialect, rules: { ...NO_RULES, ...rules } };
	const [{ holds }, texts] = await Promise.all([
		judged({ ...both, targetVersion: null, runningVersion: '' }),
		alignedTexts(source, both)
	]);
	if (holds) return done(IS_SAME);
	if (!texts) return refuse('What it runs cannot be read.');
	if (texts.running === texts.intended) return done('Is given the whole again; only secrets are different.');
	const patch = structuredPatch('', '', texts.running, texts.intended, '', '', {
		context: 2,
		maxEditLength: MOST_CHANGED
	});
	if (!patch) return done('Is given the whole again, and most of it is different.');
	const shown = patch.hunks.map(({ lines }) => lines.join('\n')).join('\n…\n');
	return done({ words: 'given the whole again, of which these lines go and come', shown });
}
