import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	ERRAND_KINDS,
	hasEnded,
	PASSING_KINDS,
	type ErrandKind,
	type ErrandState
} from '../../../../core/errand';
import { database, identity } from '../../database';
import { seal } from '../../keys';
import { notify, subscribe } from '../../live';

/** What is wanted of one unit. */
export interface Asked {
	readonly unitId: string;
	readonly kind: ErrandKind;
	readonly input?: unknown;
	readonly priority?: number;
	/** How long it may wait for its unit, in milliseconds. */
	readonly waits?: number;
	/** Why Limen asks of itself: it is due, the unit came back, it said that it was changed, or a send ended. */
	readonly why?: 'due' | 'back' | 'said' | 'send';
	/** Only while the unit is connected. */
	readonly ifConnected?: boolean;
}

/**
 * Asks for an errand, in the transaction of the act that wants it; whoever holds the unit is told when that
 * commits. The same errand that waits already is not asked for twice. Whoever may change things at the
 * unit's customer may ask; null when they may not, or the unit is not connected and has to be.
 */
export async function askErrand(trx: Knex, asked: Asked): Promise<string | null> {
	const { priority, waits } = ERRAND_KINDS[asked.kind];
	const who = identity();
	const { rows } = await trx.raw(
		`with wanted as (
			select unit.id, unit.customer_id from unit where unit.id = :unit
				and (not :connected or exists (select from unit_connection c where c.unit_id = unit.id and c.ended_at is null))
		), same as (
			select errand.id from errand join wanted on wanted.id = errand.unit_id
			where kind = :kind and state = 'waiting' and input is null and :input::text is null and deadline > now() limit 1
		), made as (
			insert into errand (id, unit_id, customer_id, kind, input, priority, asked_by, why, deadline)
			select :id, wanted.id, wanted.customer_id, :kind, :input, :priority, :by, :why, now() + make_interval(secs => :waits)
			from wanted where not exists (select from same)
			returning id, customer_id
		)
		select id, customer_id from made union all select same.id, wanted.customer_id from same, wanted`,
		{
			id: uuid(),
			unit: asked.unitId,
			kind: asked.kind,
			input: asked.input === undefined ? null : seal(JSON.stringify(asked.input)),
			priority: asked.priority ?? priority,
			why: asked.why ?? null,
			by: who.kind === 'person' ? who.personId : null,
			waits: (asked.waits ?? waits) / 1000,
			connected: asked.ifConnected ?? false
		}
	);
	const [made] = rows as { id: string; customer_id: string }[];
	if (!made) return null;
	await notify(trx, 'errand-asked', made.customer_id, [asked.unitId]);
	return made.id;
}

/** Takes back what is still wanted of a unit that is no longer at its place, in the transaction of that act. */
export async function cancelErrands(trx: Knex, unitId: string, words: string): Promise<void> {
	await trx('errand')
		.where({ unit_id: unitId })
		.whereIn('state', ['waiting', 'under way'])
		.update({ state: 'cancelled', ended_at: trx.fn.now(), words });
}

export interface Errand {
	readonly id: string;
	readonly unitId: string;
	readonly kind: ErrandKind;
	readonly state: ErrandState;
	readonly askedAt: Date;
	readonly askedBy: string | null;
	readonly begunAt: Date | null;
	readonly endedAt: Date | null;
	readonly attempts: number;
	readonly words: string;
}

const errands = () =>
	database()('errand')
		.leftJoin('person', 'person.id', 'asked_by')
		.select(
			'errand.id as id',
			'unit_id as unitId',
			'kind',
			'state',
			'asked_at as askedAt',
			'person.name as askedBy',
			'begun_at as begunAt',
			'ended_at as endedAt',
			'attempts',
			'words'
		);

/** The errands of a unit that are worth a word, newest first. */
export const errandsOf = (unitId: string, limit = 50): Promise<Errand[]> =>
	errands()
		.where({ unit_id: unitId })
		.whereNotIn('kind', PASSING_KINDS)
		.orderBy('errand.id', 'desc')
		.limit(limit);

/** A notification can be missed while the hub is away. */
const LOOK_AGAIN_MS = 2_000;

/** An errand once it has ended, or as it is when patience does. */
export async function answerTo(errandId: string, patience: number): Promise<Errand | null> {
	const until = performance.now() + patience;
	for (;;) {
		let stop = () => {};
		const told = new Promise<void>((resolve) => {
			const unsubscribe = subscribe(
				({ topic, ids }) => void (topic === 'errand-ended' && ids.includes(errandId) && resolve()),
				() => true
			);
			const timer = setTimeout(resolve, Math.max(0, Math.min(LOOK_AGAIN_MS, until - performance.now())));
			stop = () => {
				unsubscribe();
				clearTimeout(timer);
			};
		});
		const [found] = await errands().where('errand.id', errandId);
		if (!found || hasEnded(found.state) || performance.now() >= until) {
			stop();
			return found ?? null;
		}
		await told;
		stop();
	}
}
