import type { Knex } from 'knex';
import { randomUUID } from 'node:crypto';
import type { Duplex } from 'node:stream';
import type { Client } from 'ssh2';
import type { Dialect } from '../../../core/config';
import { afterBreak, ERRAND_KINDS, RoundTrip, type ErrandKind } from '../../../core/errand';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { onBeat, onRebirth, thisProcess } from '../jobs';
import { notify, notifyEach, subscribe } from '../live';
import { log } from '../log';

/**
 * The connections that this process holds, and their rows in the database, which all processes see. A row
 * names its session: what is said of an earlier connection of the same unit counts no more.
 */
export interface KnownUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly makerId: string;
	readonly modelId: string;
	readonly customerId: string;
	readonly dialect: Dialect;
	/** Which of Limen's keys it took last. */
	readonly loginKey: string | null;
}

/** How a unit is reached. */
export type Way = 'home over SSH' | 'home over NETCONF' | 'out';

export interface Held {
	readonly unit: KnownUnit;
	readonly client: Client;
	readonly address: string;
	readonly way: Way;
	readonly trip: RoundTrip;
	/** When the unit was last heard over it, in milliseconds since the epoch. */
	heardAt: number;
	/** A new one when others took this process for dead. */
	session: string;
}

const held = new Map<string, Held>();

/** The connection to a unit, when it is this process that holds it. */
export const heldBy = (unitId: string): Held | undefined => held.get(unitId);
export const heldHere = (): number => held.size;
export const allHeld = (): readonly Held[] => [...held.values()];

/** Longer than a connection takes to be written down. */
const JUST_COME = '30 seconds';
/** A short loss is nothing to tell: a unit restarts its SSH server, or a line is redialled. */
const WORTH_TELLING = '5 seconds';
/** What became of errands whose connection broke: see core's `afterBreak`. */
const AFTER_BREAK = `state = :after::jsonb->>kind, session = null,
	ended_at = case when :after::jsonb->>kind = 'waiting' then null else now() end,
	begun_at = case when :after::jsonb->>kind = 'waiting' then null else begun_at end,
	words = case :after::jsonb->>kind when 'waiting' then words when 'done' then 'The connection ended over it.'
		else 'The connection broke after something was said.' end`;
const AFTER = JSON.stringify(
	Object.fromEntries((Object.keys(ERRAND_KINDS) as ErrandKind[]).map((kind) => [kind, afterBreak(kind)]))
);

/** Takes a connection over: it is written down, and an earlier one of the same unit is let go. */
export async function hold(
	unit: KnownUnit,
	client: Client,
	stream: Duplex,
	{ address, way, trip }: Pick<Held, 'address' | 'way' | 'trip'>
): Promise<Held> {
	const one: Held = { unit, client, address, way, trip, heardAt: timeNow(), session: randomUUID() };
	const before = held.get(unit.unitId);
	held.set(unit.unitId, one);
	before?.client.end();
	const coming = come(one);
	const ended = () => {
		if (held.get(unit.unitId) !== one) return;
		held.delete(unit.unitId);
		// Not before it is written down that it came: or it would stay so for good
		void coming
			.then(() => lose({ held: one, why: 'The connection ended.' }))
			.catch((error: Error) =>
				log.warn({ unit: unit.unitId, error: error.message }, 'a lost connection could not be noted')
			);
	};
	client.on('close', ended);
	// It may have ended between its login and now
	if (stream.destroyed) ended();
	await coming;
	return one;
}

/**
 * Ends a unit's connection, whichever process holds it, when the transaction commits: what it opened it with
 * may not be good for another.
 */
export const hangUp = (trx: Knex, customerId: string, unitId: string): Promise<void> =>
	notify(trx, 'hang-up', customerId, [unitId]);

export function hangUpAll(): void {
	for (const { client } of held.values()) client.end();
}

/** A unit that dials anew at once was not away. */
const WORTH_COUNTING = '2 seconds';
/** What was being done to a unit that went away. */
const PLANNED_BY = `case errand.kind when 'restart' then 'restart' when 'flash' then 'change of firmware' else 'send' end`;

const come = grouped<Held, void>(BOOTSTRAP, async (all) => {
	await database().transaction((trx) => writeComing(trx, all));
	return all.map(() => undefined);
});

async function writeComing(trx: Knex, all: readonly Held[]): Promise<void> {
	const rows = all.map(({ unit, address, way, session }) => ({
		unit: unit.unitId,
		customer: unit.customerId,
		address,
		way,
		session
	}));
	await trx.raw(
		`with came as (
			select * from jsonb_to_recordset(:rows::jsonb) as c(unit uuid, customer uuid, address inet, way text, session uuid)
		), settled as (
			update errand set ${AFTER_BREAK} from came where unit_id = came.unit and state = 'under way'
		), before as (
			select c.* from unit_connection c join came on came.unit = c.unit_id
		), back as (
			insert into run_event (run_id, customer_id, kind, words, step_before, step_after)
			select run.id, run.customer_id, 'back', '', run.step, run.step
			from before join binding on binding.unit_id = before.unit_id join run on run.id = binding.run_id
			where run.outcome = 'through' and before.ended_at < now() - interval '${WORTH_TELLING}'
		), away as (
			insert into absence (unit_id, customer_id, from_at, to_at, planned)
			select before.unit_id, run.customer_id, greatest(before.ended_at, run.ended_at), now(), coalesce((
				select ${PLANNED_BY} from errand where errand.unit_id = before.unit_id and errand.kind in ('send', 'settle', 'flash', 'restart')
					and errand.begun_at < before.ended_at + interval '1 minute' and coalesce(errand.ended_at, now()) > before.ended_at - interval '5 minutes'
				order by errand.id desc limit 1
			), (select 'Limen was restarted' from process where process.id = before.process_id and process.ended_at <= before.ended_at + interval '5 seconds'), '')
			from before join binding on binding.unit_id = before.unit_id join run on run.id = binding.run_id and run.outcome = 'through'
			where greatest(before.ended_at, run.ended_at) < now() - interval '${WORTH_COUNTING}' on conflict do nothing
		), heard as (
			update unit set dialled_home_at = case when came.way = 'out' then dialled_home_at else now() end, heard_at = now(), heard_address = came.address, reach_problem = null, reach_problem_at = null
			from came where unit.id = came.unit
		), reached as (
			update unit_reach set home_since = case when came.way = 'out' then null else coalesce(home_since, now()) end
			from came where unit_reach.unit_id = came.unit
		)
		insert into unit_connection (unit_id, customer_id, process_id, session, way, address)
		select unit, customer, :process, session, way, address from came
		on conflict (unit_id) do update set process_id = excluded.process_id, session = excluded.session, way = excluded.way,
			address = excluded.address, since = now(), round_trip_ms = null, ended_at = null, why_ended = null, told = false`,
		{ rows: JSON.stringify(rows), process: thisProcess(), after: AFTER }
	);
	await tellOf(
		trx,
		all.map(({ unit }) => unit)
	);
}

/** Unit pages show it at once; lists and boards, how its position stands. */
async function tellOf(
	trx: Knex,
	units: readonly { readonly unitId: string; readonly customerId: string }[]
): Promise<void> {
	await notifyEach(
		trx,
		'units',
		units.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
	);
	const { rows } = await trx.raw(
		`select run_id as id, customer_id as "customerId" from binding where unit_id = any (?::uuid[])`,
		[units.map(({ unitId }) => unitId)]
	);
	await notifyEach(trx, 'runs', rows);
}

interface Loss {
	readonly held: Held;
	readonly why: string;
}

const lose = grouped<Loss, void>(BOOTSTRAP, async (losses) => {
	await database().transaction(async (trx) => {
		await endConnections(
			trx,
			`join jsonb_to_recordset(:losses::jsonb) as l(session uuid, at timestamptz, why text) on l.session = c.session`,
			'l.at',
			'l.why',
			{
				losses: JSON.stringify(
					losses.map(({ held: { session, heardAt }, why }) => ({
						session,
						at: new Date(heardAt).toISOString(),
						why
					}))
				)
			}
		);
	});
	return losses.map(() => undefined);
});

/** Ends those open connections that `which` joins, with all that follows for errands and for who watches. */
async function endConnections(
	trx: Knex,
	which: string,
	at: string,
	why: string,
	bindings: Readonly<Record<string, string | string[]>>
): Promise<void> {
	const { rows } = await trx.raw(
		`with lost as (
			update unit_connection set ended_at = least(now(), greatest(gone.since, gone.at)), why_ended = gone.why
			from (select c.unit_id, c.since, c.session, ${at} as at, ${why} as why from unit_connection c ${which} where c.ended_at is null) gone
			where unit_connection.session = gone.session and unit_connection.ended_at is null
			returning unit_connection.unit_id, unit_connection.customer_id, gone.session
		), settled as (
			update errand set ${AFTER_BREAK} from lost where errand.session = lost.session and state = 'under way'
		), noted as (
			insert into run_event (run_id, customer_id, kind, words, step_before, step_after)
			select run.id, run.customer_id, 'lost', '', run.step, run.step
			from lost join binding on binding.unit_id = lost.unit_id join run on run.id = binding.run_id where run.outcome = 'through'
		)
		select unit_id as "unitId", customer_id as "customerId" from lost`,
		{ ...bindings, after: AFTER }
	);
	if (rows.length > 0) await tellOf(trx, rows);
}

/** What a process held that has ended is let go; it is known to have been held until then. */
async function letGoOfTheDead(): Promise<void> {
	await database().transaction((trx) =>
		endConnections(
			trx,
			'join process on process.id = c.process_id and process.ended_at is not null',
			'process.ended_at',
			`'The process of Limen that held it ended.'`,
			{}
		)
	);
}

/** What this process holds no more, though nothing says so: when its connection ended, the database was away. */
async function letGoOfTheLost(): Promise<void> {
	const sessions = allHeld().map(({ session }) => session);
	await database().transaction((trx) =>
		endConnections(
			trx,
			// One that has just come may not be among those held a moment ago
			`join (select :process::uuid as process, :sessions::uuid[] as sessions) here
				on c.process_id = here.process and c.since < now() - interval '${JUST_COME}' and not c.session = any (here.sessions)`,
			'now()',
			`'The connection ended.'`,
			{ process: thisProcess(), sessions }
		)
	);
}

/** Losses that have lasted too long to be normal change how a position stands: whoever watches is told once. */
async function tellOfLosses(): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`update unit_connection c set told = true from unit join model on model.id = unit.model_id
			where unit.id = c.unit_id and c.ended_at < now() - model.quiet_normal and not c.told
			returning c.unit_id as "unitId", c.customer_id as "customerId"`
		);
		if (rows.length > 0) await tellOf(trx, rows);
	});
}

const TRIPS_EVERY_MS = 60_000;
let tripsAt = -Infinity;

/** How long units take to answer: of all together, now and then. */
async function noteRoundTrips(): Promise<void> {
	if (performance.now() - tripsAt < TRIPS_EVERY_MS) return;
	tripsAt = performance.now();
	const trips = allHeld().flatMap(({ session, trip }) => {
		const milliseconds = trip.take();
		return milliseconds === null ? [] : [{ session, trip: Math.round(milliseconds) }];
	});
	if (trips.length === 0) return;
	await database().raw(
		`update unit_connection set round_trip_ms = t.trip
		from jsonb_to_recordset(?::jsonb) as t(session uuid, trip integer)
		where unit_connection.session = t.session and round_trip_ms is distinct from t.trip`,
		[JSON.stringify(trips)]
	);
}

/** Whoever took this process for dead has let all go: it is held again, under new sessions. */
async function holdAgain(): Promise<void> {
	for (const one of held.values()) one.session = randomUUID();
	await Promise.all(allHeld().map(come));
}

export function watchOverConnections(): void {
	subscribe(
		({ topic, ids }) => void (topic === 'hang-up' && ids.forEach((id) => held.get(id)?.client.end())),
		() => true
	);
	onBeat(letGoOfTheDead);
	onBeat(letGoOfTheLost);
	onBeat(tellOfLosses);
	onBeat(noteRoundTrips);
	onRebirth(holdAgain);
}
