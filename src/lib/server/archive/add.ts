import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { NOTHING_UNSHOWN, type Unshown } from '../../../core/profile';
import { cutSecrets, MOST_WORDS, wordsIn } from '../../../core/archive';
import type { Dialect, DialectRules } from '../../../core/config';
import type { ErrandKind } from '../../../core/errand';
import { noteName, whoConfigured } from '../events';
import { seal, unseal } from '../keys';
import { judged } from '../proof';
import { packed, WHOLE_EVERY } from './packing';
import { maskedTextOf, type How } from './store';

/** A reading that is to be kept. */
export interface Unkept {
	readonly id: string;
	readonly unitId: string;
	readonly customerId: string;
	readonly makerId: string;
	readonly modelId: string;
	readonly positionId: string | null;
	readonly at: Date;
	readonly content: string;
	readonly saved: string | null;
	readonly errand: ErrandKind;
	readonly why: string | null;
	readonly dialect: Dialect;
	readonly rules: Partial<DialectRules>;
	readonly firmware: string;
}

/** A reading as it came. */
export interface Fresh {
	readonly reading: Unkept;
	readonly text: string;
	readonly digest: Buffer;
	readonly rules: DialectRules;
}

/** The newest version of a unit. */
export interface Head {
	readonly id: string;
	readonly number: number;
	readonly digest: Buffer;
	readonly at: Date;
	readonly seen_at: Date;
	readonly how: How;
	readonly by_whom: string;
}

/** What must not be shown of the texts of positions, by their ids. */
export type SecretsAt = ReadonlyMap<string, Unshown>;

export const isSameText = async (
	one: string,
	other: string,
	dialect: Dialect,
	rules: DialectRules
): Promise<boolean> =>
	(await judged({ intended: one, running: other, dialect, rules, targetVersion: null, runningVersion: '' }))
		.holds;

/** A unit may say that it was configured a moment before that can be read, while it is being read the last time. */
const SAID_BEFORE_MS = 30_000;
/** From when on what a unit says of a change is about the version after this one: what it said before made this one. */
const changedSince = ({ at, seen_at }: Pick<Head, 'at' | 'seen_at'>): Date =>
	new Date(Math.max(at.getTime(), seen_at.getTime() - SAID_BEFORE_MS));

/** A change that was read before the unit said whose it was, for another reason, gets its name when it did. Empty: it has none. */
export async function namedLater(trx: Knex, { unitId }: Unkept, head: Head): Promise<string> {
	if (head.how !== 'outside' || head.by_whom !== '') return '';
	const before = await trx('archive_version')
		.where({ unit_id: unitId })
		.where('number', '<', head.number)
		.orderBy('number', 'desc')
		.first('at', 'seen_at');
	const byWhom = await whoConfigured(trx, unitId, before ? changedSince(before) : head.at);
	if (byWhom) await trx('archive_version').where({ id: head.id }).update({ by_whom: byWhom });
	return byWhom;
}

/** Adds a version: what a unit was read to run that is another than it ran before. */
export async function add(
	trx: Knex,
	fresh: Fresh,
	head: Head | undefined,
	secretsOf: SecretsAt
): Promise<Head> {
	const { reading } = fresh;
	const { unitId, positionId } = reading;
	const { masked, secrets } = cutSecrets(
		fresh.text,
		(positionId && secretsOf.get(positionId)) || NOTHING_UNSHOWN
	);
	const sealed = JSON.stringify(secrets);
	if (head) await packBehind(trx, unitId, head.number, { masked, sealed });
	const id = uuid();
	const origin = await cameAbout(trx, fresh, head);
	const added = {
		id,
		number: (head?.number ?? 0) + 1,
		at: reading.at,
		seen_at: reading.at,
		digest: fresh.digest
	};
	await trx('archive_version').insert({
		...added,
		...origin,
		unit_id: unitId,
		customer_id: reading.customerId,
		position_id: positionId,
		firmware: reading.firmware,
		packed: packed(masked, null),
		is_whole: true,
		secrets: seal(sealed),
		lines: masked.trimEnd().split('\n').length,
		bytes: Buffer.byteLength(fresh.text)
	});
	await noteWords(trx, reading, wordsIn(masked));
	await noteName(trx, reading, fresh.text);
	return { ...added, ...origin };
}

/** What was the newest is kept against what is newest now, and its secrets only where they were others. */
async function packBehind(
	trx: Knex,
	unitId: string,
	number: number,
	next: { readonly masked: string; readonly sealed: string }
): Promise<void> {
	const text = (await maskedTextOf(trx, unitId, number))!;
	const { secrets } = await trx('archive_version').where({ unit_id: unitId, number }).first('secrets');
	const isWhole = number % WHOLE_EVERY === 0;
	await trx('archive_version')
		.where({ unit_id: unitId, number })
		.update({
			packed: packed(text, isWhole ? null : next.masked),
			is_whole: isWhole,
			...(secrets !== null && unseal(secrets) === next.sealed && { secrets: null })
		});
}

interface Origin {
	readonly how: How;
	readonly by_whom: string;
	readonly send_id: string | null;
}

/** The last send that was set off since the version before, or what was given as the unit came online. */
async function cameAbout(
	trx: Knex,
	{ reading: { unitId, dialect }, text, rules }: Fresh,
	head: Head | undefined
): Promise<Origin> {
	const since = head?.seen_at ?? new Date(0);
	const send = await trx('send')
		.where({ unit_id: unitId })
		.where('committed_at', '>', since)
		.orderBy('committed_at', 'desc')
		.first('id', 'intended', 'before', 'asked_by');
	const is = (sealed: string) => isSameText(unseal(sealed), text, dialect, rules);
	if (send && (await is(send.intended))) return { how: 'send', by_whom: send.asked_by, send_id: send.id };
	if (send && (await is(send.before))) return { how: 'back', by_whom: '', send_id: send.id };
	const run = await trx('run')
		.where({ unit_id: unitId })
		.whereNotNull('rendering')
		.orderBy('begun_at', 'desc')
		.first('rendering', 'since');
	if (run && (!head || run.since > since) && (await is(run.rendering)))
		return { how: 'run', by_whom: '', send_id: null };
	return head
		? { how: 'outside', by_whom: await whoConfigured(trx, unitId, changedSince(head)), send_id: null }
		: { how: 'first', by_whom: '', send_id: null };
}

async function noteWords(trx: Knex, { unitId, customerId }: Unkept, words: readonly string[]): Promise<void> {
	await trx.raw(
		`insert into archive_words (unit_id, customer_id, words) values (:unit, :customer, :words)
		on conflict (unit_id) do update set customer_id = excluded.customer_id, words = (
			select array_agg(distinct word) from (
				select word from unnest(excluded.words || archive_words.words) with ordinality as w(word, place) order by place limit ${2 * MOST_WORDS}
			) all_words)`,
		{ unit: unitId, customer: customerId, words: [...words] }
	);
}
