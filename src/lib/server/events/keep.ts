import { setTimeout as sleep } from 'node:timers/promises';
import { v7 as uuid } from 'uuid';
import { readEvent, type SaidEvent } from '../../../core/events';
import { maskSecrets } from '../../../core/profile';
import { BOOTSTRAP, database, enqueue, runAs, timeNow } from '../database';
import { notifyEach } from '../live';
import { log } from '../log';
import { countEvents } from './count';
import { changeIn, senderKey, whoSaid, type Sender, type SendingUnit } from './who';

/** So much may wait to be kept, in all; what comes beyond it is counted and gone. */
const MOST_WAITING = 20_000;
/** A unit may say so many at once, and so many a second on and on; beyond it is told how many there were. */
const BURST = 100;
const A_SECOND = 2;
/** What comes within this is kept together. */
const TOGETHER_MS = 250;
const AT_ONCE = 2_000;

interface Said {
	readonly sender: Sender;
	readonly octets: Uint8Array;
	readonly at: number;
}
let waiting: Said[] = [];
let timer: NodeJS.Timeout | undefined;
let keeping: Promise<void> = Promise.resolve();

/** Takes what somebody said. Never waits, and never grows past its bound. */
export function take(sender: Sender, octets: Uint8Array): void {
	if (waiting.length >= MOST_WAITING) return countEvents('too much at once');
	waiting.push({ sender, octets, at: timeNow() });
	timer ??= setTimeout(flush, TOGETHER_MS);
}

function flush(): void {
	timer = undefined;
	keeping = keeping
		.then(() => runAs(BOOTSTRAP, keepWaiting))
		.catch((error: Error) => log.error({ error: error.message }, 'what units said could not be kept'));
}

/** Resolves when all that was said by now is kept. */
export async function eventsAreKept(): Promise<void> {
	clearTimeout(timer);
	flush();
	await keeping;
}

/** A database that starts again is away for seconds; what comes meanwhile waits, up to its bound. */
const PAUSES_MS = [250, 500, 1_000, 2_000, 4_000, 8_000, 8_000];

/** Tries again where it fails: nobody says twice what was lost here. */
async function again<Result>(work: () => Promise<Result>): Promise<Result> {
	for (const pause of PAUSES_MS)
		try {
			return await work();
		} catch (error) {
			log.warn({ error: (error as Error).message }, 'what units said is not kept yet');
			await sleep(pause);
		}
	return work();
}

async function keepWaiting(): Promise<void> {
	while (waiting.length > 0) {
		const some = waiting.slice(0, AT_ONCE);
		waiting = waiting.slice(AT_ONCE);
		await keepThese(some);
	}
}

interface Read extends Said {
	readonly said: SaidEvent;
	readonly key: string;
}

async function keepThese(some: readonly Said[]): Promise<void> {
	const read: Read[] = some.map((one) => {
		const said = readEvent(one.octets);
		const sender = { ...one.sender, host: said.host };
		return { ...one, said, sender, key: senderKey(sender) };
	});
	const senders = [...new Map(read.map(({ key, sender }) => [key, sender])).values()];
	const units = await again(() => whoSaid(senders));
	const rows: Row[] = [];
	const unkept = new Map<string, { readonly unit: SendingUnit; count: number }>();
	for (const one of read) {
		const unit = units.get(one.key);
		if (!unit) countEvents('from a stranger');
		else if (mayBeKept(unit.unitId, one.at)) rows.push(await rowOf(unit, one));
		else {
			const left = unkept.get(unit.unitId) ?? { unit, count: 0 };
			left.count++;
			unkept.set(unit.unitId, left);
		}
	}
	for (const { unit, count } of unkept.values()) {
		countEvents('too many of one unit', count);
		rows.push(toldRow(unit, count));
	}
	countEvents('kept', rows.length);
	if (rows.length > 0) await again(() => insert(rows));
}

/** How many each unit may say just now. */
const allowances = new Map<string, { left: number; at: number }>();
const MOST_KNOWN = 50_000;
function mayBeKept(unitId: string, at: number): boolean {
	if (allowances.size > MOST_KNOWN) allowances.clear();
	const { left, at: before } = allowances.get(unitId) ?? { left: BURST, at };
	const now = Math.min(BURST, left + (Math.max(0, at - before) / 1000) * A_SECOND);
	allowances.set(unitId, { left: now >= 1 ? now - 1 : now, at });
	return now >= 1;
}

interface Row {
	readonly id: string;
	readonly unit_id: string;
	readonly customer_id: string;
	readonly at: Date;
	readonly said_at: Date | null;
	readonly severity: number;
	readonly facility: number;
	readonly app: string;
	readonly kind: string;
	readonly words: string;
	readonly form: SaidEvent['form'] | 'limen';
	readonly is_change: boolean;
	readonly by_whom: string;
}

/** A clock that says what no column holds is no clock. */
const isMoment = (at: number): boolean => Math.abs(at) < 8e15 && at > Date.parse('0001-01-01T00:00:00Z');
const LONGEST_WORDS = 2_000;

async function rowOf(unit: SendingUnit, { said, at }: Read): Promise<Row> {
	const by = await changeIn(unit, said.rest);
	return {
		id: uuid(),
		unit_id: unit.unitId,
		customer_id: unit.customerId,
		at: new Date(at),
		said_at: said.at !== null && isMoment(said.at) ? new Date(said.at) : null,
		severity: said.severity,
		facility: said.facility,
		app: said.app,
		kind: said.kind,
		words: maskSecrets(said.words || said.rest).slice(0, LONGEST_WORDS),
		form: said.form,
		is_change: by !== null,
		by_whom: by ?? ''
	};
}

const toldRow = (unit: SendingUnit, count: number): Row => ({
	id: uuid(),
	unit_id: unit.unitId,
	customer_id: unit.customerId,
	at: new Date(timeNow()),
	said_at: null,
	severity: 4,
	facility: 5,
	app: 'limen',
	kind: 'LEFT-OUT',
	words: `${count.toLocaleString('en')} more came than are kept of one unit at once.`,
	form: 'limen',
	is_change: false,
	by_whom: ''
});

export const READ_CHANGED = 'read what was changed';
/** What is typed in one go is read once; and a unit that says it all the time is not read all the time. */
const SETTLES_MS = 2_000;
const APART_MS = 20_000;
const toBeRead = new Map<string, number>();

async function insert(rows: readonly Row[]): Promise<void> {
	const now = performance.now();
	const changed = new Set(rows.flatMap(({ is_change, unit_id }) => (is_change ? [unit_id] : [])));
	for (const [unitId, due] of toBeRead) if (due < now - APART_MS) toBeRead.delete(unitId);
	const dues = Array.from(changed, (unit) => {
		const last = toBeRead.get(unit) ?? -Infinity;
		return { unit, last, due: Math.max(now + SETTLES_MS, last + APART_MS) };
	}).filter(({ last }) => last <= now);
	await database().transaction(async (trx) => {
		await trx.batchInsert('event', rows as Row[], 500);
		for (const { unit, due } of dues) {
			const key = `${READ_CHANGED} ${unit}`;
			await enqueue(trx, READ_CHANGED, { unit }, { key, due: new Date(timeNow() + due - now) });
		}
		await notifyEach(
			trx,
			'events',
			[...new Map(rows.map((row) => [row.unit_id, row.customer_id]))].map(([id, customerId]) => ({
				id,
				customerId
			}))
		);
	});
	// Only now: one that is not kept is tried again
	for (const { unit, due } of dues) toBeRead.set(unit, due);
}
