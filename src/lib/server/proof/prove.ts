import { NO_RULES, type DialectRules } from '../../../core/config';
import { holds, resolveValues, type ReadyCheck } from '../../../core/profile';
import {
	askErrand,
	ConnectionBroke,
	onErrand,
	onSecretWanted,
	onWelcome,
	type ClaimedErrand,
	type Dialogue,
	type KnownUnit
} from '../connections';
import { database, timeNow } from '../database';
import { unseal } from '../keys';
import { hidingAtPosition, renderingSources } from '../profile';
import { onBeat } from '../jobs';
import { log } from '../log';
import { record } from '../runs';
import { check } from './checking';
import { describe, judged, LONGEST_DESCRIBED } from './judging';
import { goOnWithProofs, proveIfComplete } from './overseeing';

interface Intended {
	run_id: string;
	position_id: string;
	step: 'bound' | 'proof';
	rendering: string | null;
	target_version: string | null;
	checks: readonly ReadyCheck[];
	rules: Partial<DialectRules>;
}

/** From now on units that come are proven when their run waits for it, and what runs on them is read when asked for. */
export function startProofs(): void {
	onWelcome(expectProof);
	onSecretWanted(secretAtPosition);
	onErrand('prove', prove);
	onErrand('check', check);
	onBeat(goOnWithProofs);
	onErrand('read', async (_, dialogue) => {
		if (dialogue.knows('saved'))
			// What it would start with matters less than what it runs
			await dialogue.read('saved', {}, 'saved').catch((error: Error) => {
				if (error instanceof ConnectionBroke) throw error;
			});
		await dialogue.read('configuration', {}, 'configuration');
		return 'Read.';
	});
}

/** The value of a field at the position that a unit is bound to; null when there is none. */
async function secretAtPosition(unitId: string, field: string): Promise<string | null> {
	const binding = await database()('binding').where({ unit_id: unitId }).first('position_id as id');
	const source = binding && (await renderingSources(database(), [binding.id])).get(binding.id);
	const value = source && resolveValues(source.scoped)[field];
	return value === undefined ? null : String(value);
}

/** A unit whose run waits for its proof (or is freshly begun again) has dialled home: it is asked for. */
async function expectProof(unit: KnownUnit): Promise<void> {
	const intended = await intendedFor(unit);
	if (!intended) return;
	const { after } = await record({
		runId: intended.run_id,
		event: { kind: 'call-home', at: timeNow() },
		words: 'Dialled home over SSH.'
	});
	if (after.outcome === 'open' && after.step === 'proof')
		await database().transaction((trx) => askErrand(trx, { unitId: unit.unitId, kind: 'prove' }));
}

/**
 * Reads back what a unit runs and compares it with what was intended; only then is its run through. Says so
 * when its run waits for no proof.
 */
async function prove({ unit }: ClaimedErrand, dialogue: Dialogue): Promise<string> {
	const intended = await intendedFor(unit);
	if (!intended) return 'Its run waits for no proof.';
	// Begun anew while it was connected: that counts as its coming
	if (intended.step === 'bound')
		await record({
			runId: intended.run_id,
			event: { kind: 'call-home', at: timeNow() },
			words: 'It was connected already.'
		});
	const { failed: why, words, version } = await attempt(dialogue, unit, intended);
	const failed =
		why === null ? null : (await hidingAtPosition(intended.position_id))(why).slice(0, LONGEST_DESCRIBED);
	await record({
		runId: intended.run_id,
		event: { kind: 'proof', at: timeNow(), failed },
		words: failed ?? words,
		...(version && { facts: { version } })
	});
	// That its unit is through stands, whatever comes of this: what is not begun now is begun on schedule
	if (failed === null)
		await proveIfComplete(intended.position_id).catch((error: Error) =>
			log.warn({ position: intended.position_id, error: error.message }, 'a site could not be proven')
		);
	return failed ?? words;
}

/** The run that waits for a proof, and what its unit should be. A run that was begun anew proves against what was last served. */
async function intendedFor({ unitId, modelId }: KnownUnit): Promise<Intended | undefined> {
	const { rows } = await database().raw(
		`select run.id as run_id, binding.position_id, run.step, served.rendering, served.target_version, served.checks, model.dialect_rules as rules
		from binding join run on run.id = binding.run_id
		join model on model.id = ?
		join lateral (
			select s.rendering, s.target_version, s.checks from served s
			where s.position_id = binding.position_id and s.unit_id = binding.unit_id
			order by s.turn desc limit 1
		) served on true
		where binding.unit_id = ? and run.outcome = 'open' and run.step in ('bound', 'proof')
			-- a unit that failed before its proof must ask anew; after a failed proof, or one that held, it is tried as it stands
			and (run.step = 'proof' or exists (
				select from run p where p.position_id = run.position_id and p.unit_id = run.unit_id and p.number = run.number - 1
					and (p.failure_kind = 'proof' or p.outcome = 'through')
			) or exists (
				-- set up from removable storage, by which it can tell nobody: somebody has said which key is its
				select from run_event where run_event.run_id = run.id and run_event.kind = 'key'
			))`,
		[modelId, unitId]
	);
	const [found] = rows as (Omit<Intended, 'checks'> & { checks: string | null })[];
	return (
		found && {
			...found,
			rendering: found.rendering && unseal(found.rendering),
			checks: found.checks === null ? [] : (JSON.parse(unseal(found.checks)) as ReadyCheck[])
		}
	);
}

async function attempt(dialogue: Dialogue, unit: KnownUnit, intended: Intended) {
	try {
		const version = (await dialogue.read('version')).rows[0]!.version!;
		const serial = (await dialogue.read('serial')).rows[0]!.serial!;
		if (serial !== unit.serial)
			return {
				failed: `Another unit has taken its place: it says that its serial number is ${serial}, and ${unit.serial} is bound here.`,
				words: '',
				version
			};
		const { text: running } = await dialogue.read('configuration', {}, 'configuration');
		const proof = await judged({
			dialect: unit.dialect,
			rules: { ...NO_RULES, ...intended.rules },
			intended: intended.rendering ?? '',
			running,
			targetVersion: intended.target_version,
			runningVersion: version
		});
		// A unit that is not what it should be is not asked further
		const failed = proof.holds ? await failingChecks(dialogue, intended) : describe(proof);
		return {
			failed,
			words: `Version ${version}; running equals intended.${named(intended.checks)}`,
			version
		};
	} catch (error) {
		// Tried again when it dials: nothing is known of it yet
		if (error instanceof ConnectionBroke) throw error;
		return { failed: `It could not be read over SSH: ${(error as Error).message}`, words: '', version: null };
	}
}

const named = (checks: readonly ReadyCheck[]): string =>
	checks.length === 0 ? '' : ` Checks hold: ${checks.map(({ name }) => name).join('; ')}.`;

const MOST_QUOTED = 400;

/** Asks what the profile's checks ask, all of them; why those fail that do, or null. */
async function failingChecks(
	dialogue: Dialogue,
	{ checks, position_id: positionId }: Intended
): Promise<string | null> {
	if (checks.length === 0) return null;
	const hidden = await hidingAtPosition(positionId);
	const failed: string[] = [];
	for (const check of checks) {
		const shown = hidden(check.command);
		const answer = await dialogue.ask(check.command, { shown, hidden }).catch((error: Error) => {
			if (error instanceof ConnectionBroke) throw error;
			return error;
		});
		if (answer instanceof Error) failed.push(`“${check.name}” could not be asked: ${answer.message}`);
		else if (!holds(check, answer))
			failed.push(
				`“${check.name}” does not hold. The unit was asked “${shown}” and said “${hidden(answer.trim()).slice(0, MOST_QUOTED)}”; that should ${check.expects === 'words' ? '' : 'not '}have “${check.words}”.`
			);
	}
	return failed.length === 0 ? null : failed.join('\n');
}
