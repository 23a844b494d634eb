import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { cutSecrets, MOST_WORDS, wordsIn } from '../../../core/archive';
import { NO_RULES, type Dialect, type DialectRules } from '../../../core/config';
import type { ErrandKind } from '../../../core/errand';
import { database, enqueue } from '../database';
import { noteName, whoConfigured } from '../events';
import { keyedHash, sameHash, seal, unseal } from '../keys';
import { notifyEach } from '../live';
import { log } from '../log';
import { allSecretsAt, renderingSources } from '../profile';
import { judged } from '../proof';
import { packed, WHOLE_EVERY } from './packing';
import { maskedTextOf, wholeTextOf, type How } from './store';

/** A reading that is in the archive, for those who look at what units run. */
export interface Kept {
	readonly unitId: string;
	readonly customerId: string;
	readonly positionId: string | null;
	readonly versionId: string;
	/** It runs something else than when it was read before. */
	readonly isNew: boolean;
	/** How a new version came about, and by whom; null for one that was there, unless whose it is was learnt by now. */
	readonly how: How | null;
	readonly byWhom: string;
	readonly at: Date;
	readonly text: string;
	/** What it would start with, where it keeps that apart and was asked. */
	readonly saved: string | null;
	readonly dialect: Dialect;
	readonly rules: DialectRules;
	readonly errand: ErrandKind;
	/** Why it was read, when nobody asked for it. */
	readonly why: string | null;
}

type Listener = (trx: Knex, kept: readonly Kept[]) => Promise<void>;
const listeners: Listener[] = [];
/** In the transaction in which the readings are kept. */
export const onKept = (listener: Listener): void => void listeners.push(listener);

export const KEEP = 'keep readings';
export const orderKeeping = (): Promise<void> => enqueue(database(), KEEP, {}, { key: KEEP });

export const readingsWait = async (): Promise<boolean> =>
	(await database()('reading').whereNull('kept_at').where({ kind: 'configuration' }).first('id')) !==
	undefined;

const AT_ONCE = 50;
const KEEPERS_LOCK = 0x6b656570;

/** Takes what was read from units into the archive. Done twice, it does no harm. Runs as BOOTSTRAP. */
export async function keepReadings(): Promise<void> {
	for (;;) {
		const ids: string[] = await database()('reading')
			.whereNull('kept_at')
			.where({ kind: 'configuration' })
			.orderBy('at')
			.limit(AT_ONCE)
			.pluck('id');
		if (ids.length === 0) return;
		await keepThese(ids).catch(async (error: Error) => {
			log.warn({ error: error.message }, 'readings are kept one by one');
			for (const id of ids) await keepThese([id]).catch((alone: Error) => leaveOut(id, alone));
		});
	}
}

/** One that cannot be kept must not stand in the way of all that come after it. */
async function leaveOut(id: string, error: Error): Promise<void> {
	log.error({ reading: id, error: error.stack }, 'a reading could not be kept');
	await database()('reading').where({ id }).update({ kept_at: database().fn.now() });
}

interface Unkept {
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

async function unkept(trx: Knex, ids: readonly string[]): Promise<Unkept[]> {
	const { rows } = await trx.raw(
		`select reading.id, reading.unit_id as "unitId", reading.customer_id as "customerId", binding.position_id as "positionId",
			unit.maker_id as "makerId", unit.model_id as "modelId", reading.at, reading.content, saved.content as saved, errand.kind as errand, errand.why, model.dialect, model.dialect_rules as rules,
			coalesce(unit.reported_version, '') as firmware
		from reading join errand on errand.id = reading.errand_id
		left join lateral (select content from reading s where s.errand_id = reading.errand_id and s.kind = 'saved' order by at desc limit 1) saved on true
		join unit on unit.id = reading.unit_id
		join model on model.id = unit.model_id left join binding on binding.unit_id = unit.id
		where reading.id = any (?::uuid[]) and reading.kept_at is null order by reading.at`,
		[[...ids]]
	);
	return rows;
}

async function keepThese(ids: readonly string[]): Promise<void> {
	await database().transaction(async (trx) => {
		// One process at a time adds versions
		await trx.raw('select pg_advisory_xact_lock(?)', [KEEPERS_LOCK]);
		const readings = await unkept(trx, ids);
		const kept: Kept[] = [];
		for (const reading of readings) kept.push(await keep(trx, reading));
		await trx('reading')
			.whereIn(
				'id',
				readings.map(({ id }) => id)
			)
			.update({ kept_at: trx.fn.now() });
		for (const listener of listeners) await listener(trx, kept);
		await notifyEach(
			trx,
			'archive',
			kept.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
		);
	});
}

interface Head {
	readonly id: string;
	readonly number: number;
	readonly digest: Buffer;
	readonly at: Date;
	readonly seen_at: Date;
	readonly how: How;
	readonly by_whom: string;
}

async function keep(trx: Knex, reading: Unkept): Promise<Kept> {
	const text = unseal(reading.content);
	const rules = { ...NO_RULES, ...reading.rules };
	const digest = keyedHash(text);
	const head: Head | undefined = await trx('archive_version')
		.where({ unit_id: reading.unitId })
		.orderBy('number', 'desc')
		.first('id', 'number', 'digest', 'at', 'seen_at', 'how', 'by_whom');
	const isSame =
		head !== undefined &&
		(sameHash(head.digest, digest) || (await meansTheSame(trx, reading, head, text, rules)));
	if (isSame)
		await trx('archive_version')
			.where({ id: head.id })
			.update({ digest, seen_at: trx.raw('greatest(seen_at, ?::timestamptz)', [reading.at]) });
	const named = isSame ? await namedLater(trx, reading, head) : '';
	const added = isSame ? null : await add(trx, reading, head, { text, digest, rules });
	return {
		unitId: reading.unitId,
		customerId: reading.customerId,
		positionId: reading.positionId,
		versionId: added?.id ?? head!.id,
		isNew: added !== null,
		how: added?.how ?? (named ? head!.how : null),
		byWhom: added?.by_whom ?? named,
		at: reading.at,
		text,
		saved: reading.saved === null ? null : unseal(reading.saved),
		dialect: reading.dialect,
		rules,
		errand: reading.errand,
		why: reading.why
	};
}

/** A unit may say that it was configured a moment before that can be read, while it is being read the last time. */
const SAID_BEFORE_MS = 30_000;
/** From when on what a unit says of a change is about the version after this one: what it said before made this one. */
const changedSince = ({ at, seen_at }: Pick<Head, 'at' | 'seen_at'>): Date =>
	new Date(Math.max(at.getTime(), seen_at.getTime() - SAID_BEFORE_MS));

/** A change that was read before the unit said whose it was, for another reason, gets its name when it did. Empty: it has none. */
async function namedLater(trx: Knex, { unitId }: Unkept, head: Head): Promise<string> {
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

/** Clocks and counters that a unit prints, or another order that means nothing, make no version. */
async function meansTheSame(
	trx: Knex,
	{ unitId, dialect }: Unkept,
	{ number }: Head,
	text: string,
	rules: DialectRules
): Promise<boolean> {
	const before = await wholeTextOf(trx, unitId, number);
	return before !== null && (await isSameText(before, text, dialect, rules));
}

export const isSameText = async (
	one: string,
	other: string,
	dialect: Dialect,
	rules: DialectRules
): Promise<boolean> =>
	(await judged({ intended: one, running: other, dialect, rules, targetVersion: null, runningVersion: '' }))
		.holds;

interface Fresh {
	readonly text: string;
	readonly digest: Buffer;
	readonly rules: DialectRules;
}

async function add(
	trx: Knex,
	reading: Unkept,
	head: Head | undefined,
	fresh: Fresh
): Promise<Origin & { readonly id: string }> {
	const { unitId, positionId } = reading;
	const source = positionId ? (await renderingSources(trx, [positionId])).get(positionId) : undefined;
	const { masked, secrets } = cutSecrets(fresh.text, source ? (await allSecretsAt(source)).values : []);
	const sealed = JSON.stringify(secrets);
	if (head) await packBehind(trx, unitId, head.number, { masked, sealed });
	const id = uuid();
	const origin = await cameAbout(trx, reading, head, fresh);
	await trx('archive_version').insert({
		id,
		unit_id: unitId,
		customer_id: reading.customerId,
		position_id: positionId,
		number: (head?.number ?? 0) + 1,
		at: reading.at,
		seen_at: reading.at,
		...origin,
		firmware: reading.firmware,
		digest: fresh.digest,
		packed: packed(masked, null),
		is_whole: true,
		secrets: seal(sealed),
		lines: masked.trimEnd().split('\n').length,
		bytes: Buffer.byteLength(fresh.text)
	});
	await noteWords(trx, reading, wordsIn(masked));
	await noteName(trx, reading, fresh.text);
	return { ...origin, id };
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
	{ unitId, dialect }: Unkept,
	head: Head | undefined,
	{ text, rules }: Fresh
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

/** What a unit was read to run last, as if it had been read just now; undefined when nothing of it is kept. */
export async function newestOf(trx: Knex, unitId: string): Promise<Kept | undefined> {
	const { rows } = await trx.raw(
		`select version.id as "versionId", version.number, version.customer_id as "customerId", binding.position_id as "positionId", version.seen_at as at,
			model.dialect, model.dialect_rules as rules
		from archive_version version join unit on unit.id = version.unit_id join model on model.id = unit.model_id
		left join binding on binding.unit_id = version.unit_id
		where version.unit_id = ? order by version.number desc limit 1`,
		[unitId]
	);
	const [row] = rows as (Omit<Kept, 'rules' | 'text' | 'saved'> & {
		number: number;
		rules: Partial<DialectRules>;
	})[];
	const text = row && (await wholeTextOf(trx, unitId, row.number));
	return row && text !== null && text !== undefined
		? {
				...row,
				unitId,
				text,
				rules: { ...NO_RULES, ...row.rules },
				isNew: false,
				saved: null,
				how: null,
				byWhom: '',
				errand: 'read',
				why: null
			}
		: undefined;
}
