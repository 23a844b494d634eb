import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { failureOf, type Failure } from '../../../core/onboarding';
import {
	bestFirst,
	HELPFUL,
	otherWords,
	signatureOf,
	type FailureGroup,
	type LineBehind,
	type Signature,
	type WhatHelped
} from '../../../core/watch';
import { database } from '../database';
import { unseal } from '../keys';
import { notifyEach } from '../live';
import { log } from '../log';
import { renderApart, renderingSources } from '../profile';

/** So many failures are signed with one beat. */
const MOST_AT_ONCE = 100;
/** So many kinds of failure there may be at one step; what else units say counts as other words. */
const MOST_SIGNATURES = 400;

interface Failed {
	readonly id: string;
	readonly customerId: string;
	readonly positionId: string;
	readonly revisionId: string | null;
	readonly rendering: string | null;
	readonly failure: Failure;
	readonly names: readonly string[];
}

interface Line extends LineBehind {
	readonly partId: string | null;
}

/** Gives failed runs their signatures. Runs as BOOTSTRAP; done twice, it does no harm. */
export async function signFailures(): Promise<void> {
	const { rows } = await database().raw(
		`select run.id, run.customer_id as "customerId", run.position_id as "positionId", run.revision_id as "revisionId", run.rendering,
			failure_step as "failureStep", failure_kind as "failureKind", failure_words as "failureWords",
			array[unit.serial, position.name, site.name, position.values ->> 'hostname'] as names
		from run join unit on unit.id = run.unit_id join position on position.id = run.position_id join site on site.id = position.site_id
		where run.outcome = 'failed' and run.signature_id is null order by run.ended_at desc limit ${MOST_AT_ONCE}`
	);
	if (rows.length === 0) return;
	const failed: Failed[] = rows.map((row: Failed & Parameters<typeof failureOf>[0]) => ({
		...row,
		failure: failureOf(row)!,
		names: row.names.filter(Boolean)
	}));
	const lines = await linesBehind(failed.filter(refusedLine));
	await database().transaction(async (trx) => {
		for (const one of failed) await sign(trx, one, lines.get(one.id) ?? null);
		await notifyEach(trx, 'runs', failed);
	});
}

const refusedLine = ({ failure, revisionId, rendering }: Failed): boolean =>
	failure.step === 'configuration' && lineOf(failure) !== null && revisionId !== null && rendering !== null;
const lineOf = ({ words }: Failure): number | null => Number(/\bline (\d{1,6})/i.exec(words)?.[1]) || null;

/** Through the origin of what the unit was given; a rendering that would be another by now tells nothing. */
async function linesBehind(failed: readonly Failed[]): Promise<ReadonlyMap<string, Line>> {
	const found = new Map<string, Line>();
	if (failed.length === 0) return found;
	const sources = await renderingSources(
		database(),
		failed.map(({ positionId }) => positionId)
	);
	for (const { id, positionId, revisionId, rendering, failure } of failed) {
		const source = sources.get(positionId);
		if (source?.revision?.id !== revisionId || !source) continue;
		const now = await renderApart(source);
		if (!now.ok || now.text !== unseal(rendering!)) continue;
		const line = now.lines[lineOf(failure)! - 1];
		if (!line || line.piece === null || line.sources[0] === undefined) continue;
		const part = source.revision.parts[line.piece];
		found.set(id, {
			partId: part?.partId ?? null,
			revisionId: part?.revisionId ?? source.revision.id,
			line: line.sources[0]
		});
	}
	return found;
}

async function sign(trx: Knex, { id, failure, names }: Failed, line: Line | null): Promise<void> {
	const wanted = signatureOf(failure, line, names);
	const signatureId =
		(await known(trx, wanted)) ??
		((await isFull(trx, failure))
			? ((await known(trx, otherWords(failure))) ?? (await make(trx, otherWords(failure), failure, null)))
			: await make(trx, wanted, failure, line));
	await trx('run').where({ id }).whereNull('signature_id').update({ signature_id: signatureId });
}

const known = async (trx: Knex, { key }: Signature): Promise<string | null> =>
	(await trx('failure_signature').where({ key }).first('id'))?.id ?? null;

async function isFull(trx: Knex, { step, kind }: Failure): Promise<boolean> {
	const { rows } = await trx.raw(
		'select count(*)::int as count from (select from failure_signature where step = ? and kind = ? limit ?) those',
		[step, kind, MOST_SIGNATURES]
	);
	return rows[0].count >= MOST_SIGNATURES;
}

async function make(
	trx: Knex,
	{ key, words }: Signature,
	{ step, kind }: Failure,
	line: Line | null
): Promise<string> {
	const [made] = await trx('failure_signature')
		.insert({
			id: uuid(),
			key,
			step,
			kind,
			words,
			part_id: line?.partId ?? null,
			part_revision_id: line?.partId ? line.revisionId : null,
			profile_revision_id: line && !line.partId ? line.revisionId : null,
			line: line?.line ?? null
		})
		.onConflict('key')
		.merge(['key'])
		.returning('id');
	return made.id;
}

/** Notes of failed runs whose units were tried again how that ended, and what was done in between. Runs as BOOTSTRAP. */
export async function noteOutcomes(): Promise<void> {
	const { rowCount } = await database().raw(
		`insert into failure_outcome (run_id, customer_id, signature_id, acts, came_through, at)
		select failed.id, failed.customer_id, failed.signature_id, array(
				select distinct entry.act from ledger_entry entry
				where entry.at between failed.ended_at and next.ended_at and entry.act = any (:acts::text[]) and (
					entry.subject_kind = 'unit' and entry.subject_id = failed.unit_id::text
					or entry.subject_kind = 'profile' and entry.subject_id = position.profile_id::text
					or entry.subject_kind = 'image' and failed.failure_step = 'firmware'
					or entry.subject_kind = 'customer' and entry.customer_id = failed.customer_id and (
						position(position.id::text in entry.after::text) > 0 or position(position.site_id::text in entry.after::text) > 0))
				order by 1),
			next.outcome = 'through', next.ended_at
		from run failed join position on position.id = failed.position_id
		join lateral (
			select outcome, ended_at from run later where later.position_id = failed.position_id and later.number > failed.number
			order by number limit 1
		) next on next.outcome in ('through', 'failed')
		where failed.outcome = 'failed' and failed.signature_id is not null and failed.ended_at > now() - interval '90 days'
			and not exists (select from failure_outcome o where o.run_id = failed.id)
		limit :most on conflict (run_id) do nothing`,
		{ acts: Object.keys(HELPFUL), most: MOST_AT_ONCE }
	);
	if (rowCount > 0) log.debug({ count: rowCount }, 'what helped after failures was noted');
}

/** What was tried after failures like these, by signature, what helped best first. */
export async function whatHelped(
	signatureIds: readonly string[]
): Promise<ReadonlyMap<string, readonly WhatHelped[]>> {
	if (signatureIds.length === 0) return new Map();
	const { rows } = await database().raw(
		'select signature_id as id, acts, tried, helped from limen_what_helped(?::uuid[])',
		[[...signatureIds]]
	);
	const tried = new Map<string, WhatHelped[]>();
	for (const { id, ...one } of rows as (WhatHelped & { id: string })[])
		tried.set(id, [...(tried.get(id) ?? []), one]);
	return new Map([...tried].map(([id, all]) => [id, bestFirst(all)]));
}

const MOST_GROUPS = 20;
/** Failures of two units and more that are the same, the largest groups first. */
export async function failureGroups(customerId: string | null): Promise<FailureGroup[]> {
	const { rows } = await database().raw(
		`select s.id, s.step, s.words, s.line, count(*)::int as units, count(distinct stands.site_id)::int as sites,
			count(distinct stands.customer_id)::int as customers, min(run.ended_at) as since, part.name as part, part.id as "partId",
			profile.name as profile, profile.id as "profileId", coalesce(part_revision.number, profile_revision.number) as revision, min(model.dialect) as dialect
		from position_standing stands join run on run.id = stands.run_id join failure_signature s on s.id = run.signature_id
		join any_unit unit on unit.id = run.unit_id join model on model.id = unit.model_id
		left join part on part.id = s.part_id left join part_revision on part_revision.id = s.part_revision_id
		left join profile_revision on profile_revision.id = s.profile_revision_id left join profile on profile.id = profile_revision.profile_id
		where stands.outcome = 'failed' and (:customer::uuid is null or stands.customer_id = :customer::uuid)
		group by s.id, part.id, part_revision.id, profile_revision.id, profile.id having count(*) > 1 order by units desc, since limit ${MOST_GROUPS}`,
		{ customer: customerId }
	);
	const helped = await whatHelped(rows.map(({ id }: { id: string }) => id));
	return (rows as GroupRow[]).map(
		({ line, part, partId, profile, profileId, revision, dialect, ...group }) => ({
			...group,
			line:
				line === null
					? null
					: {
							number: line,
							name: part ?? profile ?? '',
							revision: revision ?? 0,
							partId,
							profileId,
							dialect
						},
			helped: helped.get(group.id) ?? []
		})
	);
}
interface GroupRow extends Omit<FailureGroup, 'line' | 'helped'> {
	readonly line: number | null;
	readonly part: string | null;
	readonly partId: string | null;
	readonly profile: string | null;
	readonly profileId: string | null;
	readonly revision: number | null;
	readonly dialect: string;
}

/** The units whose present runs failed in one way. */
export async function unitsOfGroup(signatureId: string, customerId: string | null): Promise<string[]> {
	const { rows } = await database().raw(
		`select stands.unit_id as id from position_standing stands join run on run.id = stands.run_id
		where run.signature_id = :signature and stands.outcome = 'failed' and (:customer::uuid is null or stands.customer_id = :customer::uuid)`,
		{ signature: signatureId, customer: customerId }
	);
	return (rows as { id: string }[]).map(({ id }) => id);
}
