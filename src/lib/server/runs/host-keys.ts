import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import { type LedgerAct } from '../ledger';
import { type Happening, type HostKey, type LockedRun, type Recorded } from './happening';

/**
 * Takes over the host keys of units whose run was open when they reported them, in place of those they had.
 * What is printed on a label must not be enough to be taken for a unit that is online: keys that come later
 * are left, and that is said beside the report. A change of known keys is an act of its own in the ledger.
 */
export async function takeHostKeys(
	trx: Knex,
	happenings: readonly Happening[],
	recorded: readonly Recorded[],
	runs: ReadonlyMap<string, LockedRun>
): Promise<{ readonly acts: readonly LedgerAct[]; told(happening: Happening, index: number): Happening }> {
	const wanted = new Map<
		string,
		{ readonly run: LockedRun; readonly runId: string; readonly keys: readonly HostKey[] }
	>();
	const notes = new Map<number, string>();
	for (const [index, { runId, facts }] of happenings.entries()) {
		if (!facts?.hostKeys?.length) continue;
		const run = runs.get(runId)!;
		if (recorded[index]!.before.outcome === 'open')
			wanted.set(run.unitId, { run, runId, keys: facts.hostKeys });
		else notes.set(index, 'Limen did not take its host keys: this run has ended.');
	}
	const told = (happening: Happening, index: number): Happening =>
		notes.has(index)
			? { ...happening, words: [happening.words, `(${notes.get(index)})`].filter(Boolean).join(' ') }
			: happening;
	if (wanted.size === 0) return { acts: [], told };
	const rows = [...wanted].flatMap(([unit, { run, keys }]) =>
		[...new Map(keys.map((one) => [one.key, one])).values()].map((one) => ({
			...one,
			unit,
			customer: run.customerId
		}))
	);
	const { rows: before } = await trx.raw(
		`delete from unit_host_key where unit_id = any(?::uuid[]) returning unit_id as unit, key`,
		[[...wanted.keys()]]
	);
	await trx.raw(
		`insert into unit_host_key (key, unit_id, customer_id, algorithm)
		select key, unit, customer, algorithm from jsonb_to_recordset(?::jsonb) as k(key text, unit uuid, customer uuid, algorithm text)`,
		[JSON.stringify(rows)]
	);
	const printed = (some: readonly { unit: string; key: string }[], unit: string) =>
		some
			.filter((one) => one.unit === unit)
			.map(({ key }) => fingerprintOf(key))
			.sort()
			.join(', ');
	const acts = [...wanted].flatMap(([unit, { run, runId }]): LedgerAct[] => {
		const [was, is] = [printed(before, unit), printed(rows, unit)];
		if (was === '' || was === is) return [];
		const words = `Unit ${run.serial} has other host keys: ${is}; before ${was}.`;
		const at = happenings.findLastIndex((one) => one.runId === runId && one.facts?.hostKeys);
		notes.set(at, words);
		return [
			{
				act: 'change host key',
				customerId: run.customerId,
				subjectKind: 'unit',
				subjectId: unit,
				words,
				detail: { runId }
			}
		];
	});
	return { acts, told };
}

/** As OpenSSH shows it: SHA-256 of the key, base64 without padding. */
export const fingerprintOf = (key: string): string =>
	`SHA256:${createHash('sha256').update(Buffer.from(key, 'base64')).digest('base64').replace(/=+$/, '')}`;
