import type { Knex } from 'knex';
import { NO_RULES, type Dialect, type DialectRules } from '../../../core/config';
import type { ErrandKind } from '../../../core/errand';
import { database, enqueue } from '../database';
import { keyedHash, sameHash, unseal } from '../keys';
import { notifyEach } from '../live';
import { log } from '../log';
import { allSecretsAt, renderingSources } from '../profile';
import { add, isSameText, namedLater, type Fresh, type Head, type SecretsAt, type Unkept } from './add';
import { wholeTextOf, type How } from './store';

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
/** Whoever adds versions holds it: one process at a time. */
export const KEEPERS_LOCK = 0x6b656570;

/**
 * Takes what was read from units into the archive. Done twice, it does no harm. Runs as BOOTSTRAP. While another process
 * does it, `leaves` it to that, which goes on until nothing is left; else it waits, and all that was read by now is kept then.
 */
export async function keepReadings({ leaves = false } = {}): Promise<void> {
	for (;;) {
		const ids: string[] = await database()('reading')
			.whereNull('kept_at')
			.where({ kind: 'configuration' })
			.orderBy('at')
			.limit(AT_ONCE)
			.pluck('id');
		if (ids.length === 0) return;
		const isMine = await keepThese(ids, leaves).catch(async (error: Error) => {
			log.warn({ error: error.message }, 'readings are kept one by one');
			for (const id of ids) await keepThese([id]).catch((alone: Error) => leaveOut(id, alone));
			return true;
		});
		if (!isMine) return;
	}
}

/** One that cannot be kept must not stand in the way of all that come after it. */
async function leaveOut(id: string, error: Error): Promise<void> {
	log.error({ reading: id, error: error.stack }, 'a reading could not be kept');
	await database()('reading').where({ id }).update({ kept_at: database().fn.now() });
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

/** Resolves with whether it was done here. */
const keepThese = (ids: readonly string[], leaves = false): Promise<boolean> =>
	database().transaction(async (trx) => {
		const lock = leaves ? 'pg_try_advisory_xact_lock(?)' : 'pg_advisory_xact_lock(?) is not null';
		const { rows: got } = await trx.raw(`select ${lock} as mine`, [KEEPERS_LOCK]);
		if (!got[0].mine) return false;
		const readings = await unkept(trx, ids);
		const newest = await Newest.of(trx, readings);
		const fresh = readings.map((reading) => freshOf(reading));
		const secrets = await secretsAt(
			trx,
			fresh.filter((one) => !isSeen(newest.at(one.reading.unitId), one))
		);
		const kept: Kept[] = [];
		for (const one of fresh) kept.push(await keep(trx, one, newest, secrets));
		await newest.write();
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
		return true;
	});

/** The newest version of each unit, as readings are gone through; those that were only seen again are written all at once. */
class Newest {
	private readonly seen = new Map<string, Head>();
	private constructor(
		private readonly trx: Knex,
		private readonly heads: Map<string, Head>
	) {}

	static async of(trx: Knex, readings: readonly Unkept[]): Promise<Newest> {
		const { rows } = await trx.raw(
			`select unit as "unitId", version.* from unnest(?::uuid[]) as unit cross join lateral (
				select id, number, digest, at, seen_at, how, by_whom from archive_version where unit_id = unit order by number desc limit 1
			) version`,
			[[...new Set(readings.map(({ unitId }) => unitId))]]
		);
		return new Newest(
			trx,
			new Map((rows as (Head & Pick<Unkept, 'unitId'>)[]).map((row) => [row.unitId, row]))
		);
	}

	at = (unitId: string): Head | undefined => this.heads.get(unitId);

	seenAgain(unitId: string, digest: Buffer, at: Date): void {
		const head = this.heads.get(unitId)!;
		const seen = { ...head, digest, seen_at: new Date(Math.max(head.seen_at.getTime(), at.getTime())) };
		this.heads.set(unitId, seen);
		this.seen.set(seen.id, seen);
	}

	added = (unitId: string, head: Head): unknown => this.heads.set(unitId, head);

	async write(): Promise<void> {
		if (this.seen.size === 0) return;
		const rows = [...this.seen.values()].map((head) => ({ ...head, digest: head.digest.toString('hex') }));
		this.seen.clear();
		await this.trx.raw(
			`update archive_version version set digest = decode(seen.digest, 'hex'), seen_at = greatest(version.seen_at, seen.seen_at)
			from jsonb_to_recordset(?::jsonb) as seen(id uuid, digest text, seen_at timestamptz) where version.id = seen.id`,
			[JSON.stringify(rows)]
		);
	}
}

function freshOf(reading: Unkept): Fresh {
	const text = unseal(reading.content);
	return { reading, text, digest: keyedHash(text), rules: { ...NO_RULES, ...reading.rules } };
}
const isSeen = (head: Head | undefined, { digest }: Fresh): boolean =>
	head !== undefined && sameHash(head.digest, digest);

async function secretsAt(trx: Knex, fresh: readonly Fresh[]): Promise<SecretsAt> {
	const positions = fresh.flatMap(({ reading }) => reading.positionId ?? []);
	const sources = await renderingSources(trx, [...new Set(positions)]);
	return new Map(
		await Promise.all([...sources].map(async ([id, source]) => [id, await allSecretsAt(source)] as const))
	);
}

async function keep(trx: Knex, fresh: Fresh, newest: Newest, secrets: SecretsAt): Promise<Kept> {
	const { reading, text, digest, rules } = fresh;
	const head = newest.at(reading.unitId);
	const isSame =
		head !== undefined && (isSeen(head, fresh) || (await meansTheSame(trx, reading, head, text, rules)));
	if (isSame) newest.seenAgain(reading.unitId, digest, reading.at);
	// What comes now looks back at the versions before
	else await newest.write();
	const named = isSame ? await namedLater(trx, reading, head) : '';
	const added = isSame ? null : await add(trx, fresh, head, secrets);
	if (added) newest.added(reading.unitId, added);
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
