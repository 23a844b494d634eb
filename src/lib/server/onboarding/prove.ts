import type { Client } from 'ssh2';
import type { Dialect } from '../../../core/config';
import { judgeProof, type ProofInput, type ProofResult } from '../../../core/onboarding';
import { holds, maskSecrets, type ReadyCheck } from '../../../core/profile';
import { database } from '../database';
import { unseal } from '../keys';
import { offMainThread, task } from '../threads';
import { driverOf, type Driver } from './drivers';
import { record } from './record';
import { run } from './ssh';

export interface KnownUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly makerId: string;
	readonly modelId: string;
	readonly customerId: string;
	readonly dialect: Dialect;
}

interface Intended {
	run_id: string;
	rendering: string | null;
	target_version: string | null;
	checks: readonly ReadyCheck[];
	ordered_heads: string[];
}

/**
 * Reads back what a unit runs and compares it with what was intended; only then is its run through.
 * Does nothing for a unit whose run is not at its proof (nor freshly begun again).
 */
export async function proveUnit(client: Client, unit: KnownUnit): Promise<void> {
	const intended = await intendedFor(unit);
	if (!intended) return;
	const at = () => Date.now();
	const { after } = await record({
		runId: intended.run_id,
		event: { kind: 'call-home', at: at() },
		words: 'Dialled home over SSH.'
	});
	if (after.outcome !== 'open' || after.step !== 'proof') return;
	const driver = driverOf(unit.makerId);
	const { failed, words, version } = driver
		? await attempt(client, driver, unit, intended)
		: { failed: 'Limen has no driver for this maker.', words: '', version: null };
	await record({
		runId: intended.run_id,
		event: { kind: 'proof', at: at(), failed },
		words: failed ?? words,
		...(version && { facts: { version } })
	});
}

/** The run that waits for a proof, and what its unit should be. A run that was begun anew proves against what was last served. */
async function intendedFor({ unitId, modelId }: KnownUnit): Promise<Intended | undefined> {
	const { rows } = await database().raw(
		`select run.id as run_id, served.rendering, served.target_version, served.checks, model.ordered_heads
		from binding join run on run.id = binding.run_id
		join model on model.id = ?
		join lateral (
			select r.rendering, r.target_version, r.checks from run r
			where r.position_id = binding.position_id and r.unit_id = binding.unit_id and r.rendering is not null
			order by r.number desc limit 1
		) served on true
		where binding.unit_id = ? and run.outcome = 'open' and run.step in ('bound', 'proof')
			-- a unit that failed before its proof must ask anew; after a failed proof, or one that held, it is tried as it stands
			and (run.step = 'proof' or exists (
				select from run p where p.position_id = run.position_id and p.unit_id = run.unit_id and p.number = run.number - 1
					and (p.failure_kind = 'proof' or p.outcome = 'through')
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

async function attempt(client: Client, driver: Driver, unit: KnownUnit, intended: Intended) {
	try {
		const version = driver.version(await run(client, driver.versionCommand));
		const running = await run(client, driver.configurationCommand);
		const proof = await judged({
			dialect: unit.dialect,
			ordered: new Set(intended.ordered_heads),
			intended: intended.rendering ?? '',
			running,
			targetVersion: intended.target_version,
			runningVersion: version ?? 'unknown'
		});
		// A unit that is not what it should be is not asked further
		const failed = proof.holds ? await failingChecks(client, intended.checks) : describe(proof);
		return {
			failed,
			words: `Version ${version}; running equals intended.${named(intended.checks)}`,
			version
		};
	} catch (error) {
		return { failed: `It could not be read over SSH: ${(error as Error).message}`, words: '', version: null };
	}
}

/** Texts up to this are compared in less time than it takes to hand them to a thread. */
const SMALL = 16 * 1024;
const JUDGE_PROOF = task<ProofInput, ProofResult>('judgeProof');
const judged = async (input: ProofInput): Promise<ProofResult> =>
	input.intended.length + input.running.length <= SMALL
		? judgeProof(input)
		: offMainThread(JUDGE_PROOF, input);

const named = (checks: readonly ReadyCheck[]): string =>
	checks.length === 0 ? '' : ` Checks hold: ${checks.map(({ name }) => name).join('; ')}.`;

const MOST_QUOTED = 400;

/** Asks what the profile's checks ask, all of them; why those fail that do, or null. */
async function failingChecks(client: Client, checks: readonly ReadyCheck[]): Promise<string | null> {
	const failed: string[] = [];
	for (const check of checks) {
		const answer = await run(client, check.command).catch((error: Error) => error);
		if (answer instanceof Error) failed.push(`“${check.name}” could not be asked: ${answer.message}`);
		else if (!holds(check, answer))
			failed.push(
				`“${check.name}” does not hold. The unit was asked “${check.command}” and said “${answer.trim().slice(0, MOST_QUOTED)}”; that should ${check.expects === 'words' ? '' : 'not '}have “${check.words}”.`
			);
	}
	return failed.length === 0 ? null : maskSecrets(failed.join('\n'));
}

const MOST_DESCRIBED = 8;

function describe({ reason, differences }: ProofResult): string {
	const lines = differences.slice(0, MOST_DESCRIBED).map(({ kind, path, intended, running }) => {
		const where = path.length > 0 ? `${path.join(' › ')}: ` : '';
		if (kind === 'missing') return `${where}“${intended}” is missing`;
		if (kind === 'extra') return `${where}“${running}” is there and should not be`;
		if (kind === 'order') return `${where}the order differs`;
		return `${where}“${running}” should be “${intended}”`;
	});
	if (differences.length > MOST_DESCRIBED) lines.push(`and ${differences.length - MOST_DESCRIBED} more`);
	return maskSecrets([reason, ...lines].join('\n')).slice(0, 18_000);
}
