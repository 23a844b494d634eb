import pLimit from 'p-limit';
import { v7 as uuid } from 'uuid';
import { afterBreak, PASSING_KINDS, type ErrandKind } from '../../../../core/errand';
import type { Talk } from '../../../../core/pack';
import { BOOTSTRAP, database, grouped, runAs } from '../../database';
import { seal, unseal } from '../../keys';
import { CHANNEL } from '../../live';
import { log } from '../../log';
import { talkOf } from '../../packs';
import { ConnectionBroke, Dialogue, type ReadingKind } from '../speaking/dialogue';
import { privilegeSecret } from '../reaching/privileges';
import { heldBy, type Held, type KnownUnit } from '../held';

/**
 * Does the errands of the units that this process holds: one at a time for each unit, some units at once.
 * An errand is claimed with the session of its connection, and its outcome counts only while that session
 * does; so a process that was only slow cannot write over what another made of it.
 */
const UNITS_AT_ONCE = 100;
/** No errand takes longer: one that does is broken off, with its connection. */
const LONGEST_MS = 5 * 60_000;

export interface ClaimedErrand {
	readonly id: string;
	readonly kind: ErrandKind;
	readonly input: unknown;
	readonly unit: KnownUnit;
	/** Of the connection over which it is done. */
	readonly session: string;
}

/** What is said of an errand that was done; `hangUp`: its unit is to dial anew. */
interface Done {
	readonly words: string;
	readonly hangUp: boolean;
}
/** How a kind of errand is done. What it returns is said of it; a rejection is its failure. */
type Work = (errand: ClaimedErrand, dialogue: Dialogue) => Promise<string | Done>;
const works = new Map<ErrandKind, Work>();
export const onErrand = (kind: ErrandKind, work: Work): void => void works.set(kind, work);

/** How nobody talks: nothing can be asked. */
const SPEECHLESS: Talk = { transport: 'exec', errors: [], asks: {} };

type Reader = (kinds: ReadonlySet<ReadingKind>) => Promise<void>;
const readers: Reader[] = [];
/** Something was read from units and is stored; told once for many. */
export const onRead = (reader: Reader): void => void readers.push(reader);

const atOnce = pLimit(UNITS_AT_ONCE);
export const busy = new Set<string>();
/** Units that were asked for something while they were busy: what came too late to be seen is looked for after. */
const askedMeanwhile = new Set<string>();

/** Looks whether something is wanted of a unit, if it is held here. */
export function nudge(unitId: string): void {
	if (!heldBy(unitId)) return;
	if (busy.has(unitId)) return void askedMeanwhile.add(unitId);
	busy.add(unitId);
	void atOnce(() => runAs(BOOTSTRAP, () => serve(unitId)))
		.catch((error: Error) => log.warn({ unit: unitId, error: error.message }, 'errands could not be done'))
		.finally(() => {
			busy.delete(unitId);
			if (askedMeanwhile.delete(unitId)) nudge(unitId);
		});
}

async function serve(unitId: string): Promise<void> {
	for (let more = true; more;) {
		const held = heldBy(unitId);
		const claimed = held && (await claim(held));
		if (!held || !claimed) return;
		const attempted = await attempt(held, claimed);
		more = await finish(attempted);
		if (attempted.hangUp) held.client.end();
	}
}

interface Claimed {
	readonly id: string;
	readonly kind: ErrandKind;
	readonly input: string | null;
	readonly session: string;
}

/** Claims the next errand of each unit that asks, in one statement. */
const claim = grouped<Held, Claimed | null>(BOOTSTRAP, async (all) => {
	const { rows } = await database().raw(
		`with asking as (
			select * from jsonb_to_recordset(?::jsonb) as a(unit uuid, session uuid)
		), next as (
			select distinct on (errand.unit_id) errand.id, asking.session
			from asking join unit_connection c on c.unit_id = asking.unit and c.session = asking.session and c.ended_at is null
			join errand on errand.unit_id = asking.unit and errand.state = 'waiting' and errand.deadline > now()
			where not exists (select from errand other where other.unit_id = asking.unit and other.state = 'under way')
			order by errand.unit_id, errand.priority desc, errand.id
		)
		update errand set state = 'under way', session = next.session, begun_at = now(), attempts = attempts + 1
		from next where errand.id = next.id and errand.state = 'waiting'
		returning errand.id, errand.kind, errand.input, errand.session`,
		[JSON.stringify(all.map(({ unit, session }) => ({ unit: unit.unitId, session })))]
	);
	const bySession = new Map((rows as Claimed[]).map((one) => [one.session, one]));
	return all.map(({ session }) => bySession.get(session) ?? null);
});

interface Attempted {
	readonly errand: Claimed;
	readonly held: Held;
	readonly state: 'done' | 'failed' | 'waiting' | 'uncertain';
	readonly words: string;
	readonly dialogue: Dialogue;
	readonly hangUp: boolean;
}

async function attempt(held: Held, errand: Claimed): Promise<Attempted> {
	const talk = await talkOf(held.unit.makerId, held.unit.modelId);
	const over = { client: held.client, isThere: () => heldBy(held.unit.unitId) === held };
	const dialogue = new Dialogue(over, talk ?? SPEECHLESS, () => privilegeSecret(held.unit, talk!));
	const ended = (state: Attempted['state'], words: string, hangUp = false): Attempted => ({
		errand,
		held,
		state,
		words: words.slice(0, 20_000),
		dialogue,
		hangUp
	});
	const work = works.get(errand.kind);
	if (!talk)
		return ended(
			'failed',
			'No pack says how to talk to units of this model. Load one under Profiles, Makers.'
		);
	if (!work) return ended('failed', `Limen does not know how to do “${errand.kind}”.`);
	const deadline = setTimeout(() => held.client.end(), LONGEST_MS);
	try {
		const input = errand.input === null ? null : (JSON.parse(unseal(errand.input)) as unknown);
		const { id, kind, session } = errand;
		const done = await work({ id, kind, session, input, unit: held.unit }, dialogue);
		return typeof done === 'string' ? ended('done', done) : ended('done', done.words, done.hangUp);
	} catch (error) {
		const broke = error instanceof ConnectionBroke;
		return ended(broke ? afterBreak(errand.kind) : 'failed', (error as Error).message);
	} finally {
		clearTimeout(deadline);
		await dialogue.end();
	}
}

/** So many ids fit into one notification. */
const IDS_TOLD = 100;

/**
 * Outcomes, readings and dialogue in one statement however many there are: under load the round trips are
 * most of what an errand costs. Resolves with whether more is wanted of the unit.
 */
const finish = grouped<Attempted, boolean>(BOOTSTRAP, async (all) => {
	const ended = all.map(({ errand, state, words }) => ({
		id: errand.id,
		session: errand.session,
		state,
		words
	}));
	const worthKeeping = all.filter(({ errand }) => !PASSING_KINDS.includes(errand.kind));
	const said = worthKeeping.flatMap(({ errand, dialogue }) =>
		dialogue.lines.map(({ reading, ...line }) => ({
			...line,
			at: new Date(line.at).toISOString(),
			errand: errand.id,
			session: errand.session,
			reading: reading ? uuid() : null,
			kind: reading?.kind ?? null,
			content: reading ? seal(reading.content) : null
		}))
	);
	const { rows } = await database().raw(
		`with done as (
			update errand set state = e.state, words = e.words, ended_at = case when e.state = 'waiting' then null else now() end,
				session = case when e.state = 'waiting' then null else errand.session end
			from jsonb_to_recordset(:outcomes::jsonb) as e(id uuid, session uuid, state text, words text)
			where errand.id = e.id and errand.session = e.session and errand.state = 'under way'
			returning errand.id, errand.customer_id
		), said as (
			select s.*, unit_id, customer_id
			from rows from (jsonb_to_recordset(:said::jsonb) as (errand uuid, session uuid, at timestamptz, speaker text, words text,
				bytes integer, reading uuid, kind text, content text)) with ordinality
				as s(errand, session, at, speaker, words, bytes, reading, kind, content, ordinal)
			join errand on errand.id = s.errand
		), kept as (
			insert into reading (id, unit_id, customer_id, errand_id, kind, at, content, bytes)
			select reading, unit_id, customer_id, errand, kind, at, content, bytes from said where reading is not null
		), lines as (
			insert into dialogue (unit_id, customer_id, errand_id, session, at, speaker, words, reading_id, bytes)
			select unit_id, customer_id, errand, session, at, speaker, words, reading, bytes from said order by ordinal
		), told as (
			select pg_notify('${CHANNEL}', json_build_object('topic', 'errand-ended', 'customerId', customer_id, 'ids', json_agg(id))::text)
			from (select id, customer_id, row_number() over (partition by customer_id) / ${IDS_TOLD} as part from done) d
			group by customer_id, part
		)
		-- in one row, whatever there is: what nobody asks for is not done
		select (select count(*) from told), (
			select json_agg(unit_id) from errand where state = 'waiting' and deadline > now() and unit_id = any (:units::uuid[])
		) as wanting`,
		{
			outcomes: JSON.stringify(ended),
			said: JSON.stringify(said),
			units: all.map(({ held }) => held.unit.unitId)
		}
	);
	const read = said.flatMap(({ kind }) => kind ?? []);
	// What is stored stands, whatever comes of this: a failure here would have the whole written once more
	if (read.length > 0)
		for (const listener of readers)
			await listener(new Set(read)).catch((error: Error) =>
				log.warn({ error: error.message }, 'that something was read could not be told')
			);
	const wanting = new Set((rows as { wanting: string[] | null }[])[0]!.wanting);
	// One that goes back to wait does so for its next connection
	return all.map(({ held, state }) => state !== 'waiting' && wanting.has(held.unit.unitId));
});
