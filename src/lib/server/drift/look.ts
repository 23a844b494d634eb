import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { findingsBetween, UNSAVED, type Finding, type Looked, type Place } from '../../../core/drift';
import type { TwoConfigs } from '../../../core/config';
import { cleanText } from '../../../core/text';
import { isSameText, newestOf, type Kept } from '../archive';
import { database, enqueue, timeNow } from '../database';
import { keyedHash, sameHash, unseal } from '../keys';
import { notifyEach } from '../live';
import { renderingSources, type RenderingSource } from '../profile';
import { countGroups, type GroupKey } from './groups';
import { NOWHERE, placeAt } from './place';
import { offMainThread, task } from '../threads';

/** Why something was looked at. */
type Why = 'asked' | 'due' | 'send' | 'back' | 'run' | 'said' | 'accepted';

/** What a unit at its place should run: what it was last given and kept, or what was accepted since. */
interface Intended {
	readonly unitId: string;
	readonly positionId: string;
	readonly rendering: string;
}

/** Of units that came online and have no send under way: those are between two states. */
async function intendedOf(trx: Knex, unitIds: readonly string[]): Promise<ReadonlyMap<string, Intended>> {
	const { rows } = await trx.raw(
		`select binding.unit_id as "unitId", binding.position_id as "positionId", intended.rendering
		from binding join run on run.id = binding.run_id and run.outcome = 'through'
		join lateral (
			select rendering from served where served.position_id = binding.position_id and served.unit_id = binding.unit_id
			order by turn desc limit 1
		) intended on true
		where binding.unit_id = any (?::uuid[])
			and not exists (select from send where send.unit_id = binding.unit_id and send.ended_at is null and send.committed_at is not null)`,
		[[...unitIds]]
	);
	return new Map((rows as Intended[]).map((one) => [one.unitId, one]));
}

interface Last {
	readonly unit_id: string;
	readonly state: 'as intended' | 'differs' | 'unreadable';
	readonly position_id: string;
	readonly version_id: string | null;
	readonly intended: Buffer;
	readonly findings: number;
	readonly words: string;
}

const lastLooks = async (trx: Knex, unitIds: readonly string[]): Promise<ReadonlyMap<string, Last>> =>
	new Map(
		(
			(await trx('unit_drift')
				.join('drift_look', 'drift_look.id', 'unit_drift.look_id')
				.whereIn('unit_drift.unit_id', [...unitIds])
				.select(
					'unit_drift.unit_id',
					'unit_drift.position_id',
					'drift_look.state',
					'version_id',
					'intended',
					'findings',
					'words'
				)) as Last[]
		).map((one) => [one.unit_id, one])
	);

export const LOOK_AGAIN = 'look at drift again';
/** A unit whose intention was changed is held once more against what it was read to run last, when the act commits. */
export const orderLook = (trx: Knex, unitId: string): Promise<void> =>
	enqueue(trx, LOOK_AGAIN, { unit: unitId }, { key: `${LOOK_AGAIN} ${unitId}` });

/** Done twice, it does no harm. Runs as BOOTSTRAP. */
export const lookAgain = (unitId: string): Promise<void> =>
	database().transaction(async (trx) => {
		const head = await newestOf(trx, unitId);
		if (head) await lookAt(trx, [{ ...head, at: new Date(timeNow()), why: 'accepted' }]);
	});

/** What a look found: the same as the last one, where neither side has changed. */
type Outcome = Pick<Last, 'state' | 'findings' | 'words'> & { readonly found: readonly Finding[] | null };

/** A unit that was looked at, and what came of it. */
export interface LookedAt extends Pick<Outcome, 'state' | 'findings'> {
	readonly unitId: string;
	readonly customerId: string;
	readonly kept: Kept;
}
type Listener = (trx: Knex, looked: readonly LookedAt[]) => Promise<void>;
const listeners: Listener[] = [];
/** In the transaction in which it was looked at. */
export const onLooked = (listener: Listener): void => void listeners.push(listener);

/** Holds what units run against what they should run, in the transaction in which it is kept. Runs as BOOTSTRAP. */
export async function lookAt(trx: Knex, kept: readonly Kept[]): Promise<void> {
	// Of several readings of one unit the last one counts
	const newest = [...new Map(kept.map((one) => [one.unitId, one])).values()];
	const unitIds = newest.map(({ unitId }) => unitId);
	const [intended, last] = await Promise.all([intendedOf(trx, unitIds), lastLooks(trx, unitIds)]);
	const due = newest.flatMap((kept) => {
		const should = intended.get(kept.unitId);
		return should ? [beside(kept, should, last.get(kept.unitId))] : [];
	});
	const sources = await renderingSources(
		trx,
		due.filter(({ before }) => before === null).map(({ positionId }) => positionId)
	);
	const looks = await Promise.all(due.map((one) => lookAtOne(one, sources.get(one.positionId))));
	await noteLooks(trx, looks);
	const groups = await stillFound(
		trx,
		looks.filter(({ before }) => before !== null).map(({ kept }) => kept)
	);
	for (const { kept, positionId, found } of looks) {
		if (found) groups.push(...(await noteFindings(trx, kept, positionId, found)));
		groups.push(...(await noteUnsaved(trx, kept, positionId)));
	}
	await countGroups(trx, groups);
	const looked = looks.map(({ kept, state, findings }): LookedAt => {
		const { unitId, customerId } = kept;
		return { unitId, customerId, kept, state, findings };
	});
	for (const listener of listeners) await listener(trx, looked);
	await notifyEach(
		trx,
		'drift',
		looked.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
	);
}

/** What a unit runs, beside what it should run. */
interface Beside {
	readonly kept: Kept;
	readonly positionId: string;
	readonly text: string;
	readonly intended: Buffer;
	/** What came of the last look, where neither side has changed since. */
	readonly before: Last | null;
}
function beside(kept: Kept, { positionId, rendering }: Intended, last: Last | undefined): Beside {
	const text = unseal(rendering);
	const intended = keyedHash(text);
	const isAsBefore =
		last?.version_id === kept.versionId &&
		last.position_id === positionId &&
		sameHash(last.intended, intended);
	return { kept, positionId, text, intended, before: isAsBefore ? last : null };
}

type Look = Beside & Outcome;
async function lookAtOne(one: Beside, source: RenderingSource | undefined): Promise<Look> {
	const { state, findings, words, found } = one.before
		? { ...one.before, found: null }
		: await compare(one.kept, source, one.text);
	return { ...one, state, findings, words, found };
}

async function noteLooks(trx: Knex, looks: readonly Look[]): Promise<void> {
	const rows = looks.map(({ kept, positionId, intended, state, findings, words }) => ({
		id: uuid(),
		unit_id: kept.unitId,
		customer_id: kept.customerId,
		position_id: positionId,
		at: kept.at,
		why: whyOf(kept),
		version_id: kept.versionId,
		intended,
		state,
		findings,
		words
	}));
	if (rows.length === 0) return;
	await trx('drift_look').insert(rows);
	await trx.raw(
		`insert into unit_drift (unit_id, customer_id, position_id, look_id, state, looked_at, since)
		select unit_id, customer_id, position_id, id, state, at, at from drift_look where id = any (?::uuid[])
		on conflict (unit_id) do update set customer_id = excluded.customer_id, position_id = excluded.position_id, look_id = excluded.look_id,
			state = excluded.state, looked_at = excluded.looked_at,
			since = case when unit_drift.state = excluded.state and unit_drift.position_id = excluded.position_id then unit_drift.since else excluded.since end`,
		[rows.map(({ id }) => id)]
	);
}

/** Whether it would start with what it runs, as far as it was asked. Groups that changed by it. */
async function noteUnsaved(trx: Knex, one: Kept, positionId: string): Promise<GroupKey[]> {
	if (one.saved === null) return [];
	const isSaved = await isSameText(one.saved, one.text, one.dialect, one.rules);
	return isSaved
		? trx('finding')
				.where({ unit_id: one.unitId, kind: 'unsaved', ended_at: null })
				.update({ ended_at: one.at, ended: 'gone' })
				.returning<GroupKey[]>(['same', 'customer_id'])
		: noteFindings(trx, one, positionId, [UNSAVED]);
}

/** At these nothing has changed since the last look; whose a finding is may be known only now. Groups that changed by it. */
async function stillFound(trx: Knex, kept: readonly Kept[]): Promise<GroupKey[]> {
	if (kept.length === 0) return [];
	const rows = JSON.stringify(kept.map(({ unitId, versionId, at }) => ({ unitId, versionId, at })));
	const seen = `jsonb_to_recordset(:rows::jsonb) as seen("unitId" uuid, "versionId" uuid, at timestamptz)`;
	await trx.raw(
		`update finding set found_at = seen.at from ${seen} where finding.unit_id = seen."unitId" and ended_at is null`,
		{ rows }
	);
	const { rows: named } = await trx.raw(
		`update finding set by_whom = version.by_whom from ${seen} join archive_version version on version.id = seen."versionId"
		where how = 'outside' and version.by_whom <> '' and version.at = finding.since
			and finding.unit_id = seen."unitId" and finding.ended_at is null and finding.by_whom = '' returning finding.same, finding.customer_id`,
		{ rows }
	);
	return named as GroupKey[];
}

const BY_ERRAND: Readonly<Partial<Record<Kept['errand'], Why>>> = {
	prove: 'run',
	send: 'send',
	settle: 'send'
};
const whyOf = ({ errand, why }: Kept): Why => (why as Why | null) ?? BY_ERRAND[errand] ?? 'asked';

const LOOK = task<readonly [TwoConfigs, Place], Looked>('findingsBetween');
/** Texts up to this are compared in less time than it takes to hand them to a thread. */
const SMALL = 16 * 1024;

async function compare(
	{ dialect, rules, text: running }: Kept,
	source: RenderingSource | undefined,
	intended: string
): Promise<Outcome> {
	const two = { intended, running, dialect, rules };
	const place = source ? await placeAt(source) : NOWHERE;
	const looked =
		intended.length + running.length <= SMALL
			? findingsBetween(two, place)
			: await offMainThread(LOOK, [two, place]);
	if (!looked.ok)
		return { state: 'unreadable', findings: 0, words: cleanText(looked.words).slice(0, 2_000), found: null };
	const count = looked.findings.length + looked.more;
	return {
		state: count === 0 ? 'as intended' : 'differs',
		findings: count,
		words: looked.more > 0 ? `${looked.more} more places differ than are told apart.` : '',
		found: looked.findings
	};
}

/** What is found still stays as it was noted; what is found no more has ended; what is new begins with this reading. Groups that changed. */
async function noteFindings(
	trx: Knex,
	one: Kept,
	positionId: string,
	found: readonly Finding[]
): Promise<GroupKey[]> {
	const rows = found.map(({ key, same, path, isParticular: particular, ...shown }) => ({
		...shown,
		particular,
		id: uuid(),
		path,
		key: keyedHash(key).toString('hex'),
		same: keyedHash(same).toString('hex')
	}));
	const { rows: changed } = await trx.raw(
		`with found as (
			select * from jsonb_to_recordset(:rows::jsonb) as f(id uuid, key text, same text, kind text, path jsonb, should text, runs text, after text, touches text, particular boolean)
		), gone as (
			update finding set ended_at = :at, ended = 'gone' where unit_id = :unit and ended_at is null and (kind = 'unsaved') = :unsaved
				and (position_id <> :position or not exists (select from found where decode(found.key, 'hex') = finding.key))
			returning same, customer_id
		), noted as (
		insert into finding (id, unit_id, customer_id, position_id, key, same, kind, path, should, runs, after, touches, particular, dialect, by_whom, since, found_at)
		select distinct on (key) id, :unit, :customer, :position, decode(key, 'hex'), decode(same, 'hex'), kind, array(select jsonb_array_elements_text(path)),
			should, runs, after, touches, particular, :dialect, coalesce((select by_whom from archive_version where id = :version and how = 'outside'), ''), :at, :at
		from found order by key
		on conflict (unit_id, key) where ended_at is null do update set found_at = excluded.found_at, particular = excluded.particular returning same, customer_id, xmax = 0 as is_new
		) select same, customer_id from gone union select same, customer_id from noted where is_new`,
		{
			rows: JSON.stringify(rows),
			unit: one.unitId,
			customer: one.customerId,
			position: positionId,
			version: one.versionId,
			dialect: one.dialect,
			unsaved: found[0]?.kind === 'unsaved',
			at: one.at
		}
	);
	return changed as GroupKey[];
}
