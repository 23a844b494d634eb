import { group } from 'd3';
import type { Knex } from 'knex';

/** What can have changed, as it is told over LISTEN/NOTIFY to every process of the application. */
export const CHANNEL = 'limen_change';
/** What pages watch. */
export const TOPICS = [
	'runs',
	'units',
	'callers',
	'plan',
	'readiness',
	'images',
	'profiles',
	'packs',
	'work',
	'sends',
	'proofs',
	'paths',
	'archive',
	'drift',
	'events',
	'health',
	'alerts',
	'rollouts',
	'replacements',
	'take-ons',
	'surveys',
	'webhooks',
	'reports',
	'connectors'
] as const;
export type Topic =
	| (typeof TOPICS)[number]
	| 'access'
	| 'errand-asked'
	| 'errand-ended'
	| 'hang-up'
	| 'reach-asked'
	| 'survey-asked'
	| 'webhook-due';
export interface Change {
	readonly topic: Topic;
	/** The things that changed; empty means any. */
	readonly ids: readonly string[];
	/** Whose they are; null when they are the firm's, or anybody's. */
	readonly customerId: string | null;
}

/** A payload holds 8000 bytes; an id with its marks takes 39. */
const MOST_IDS = 170;

/** The statement's values: one notification per so many ids. Send with `notifySql`. */
export function notifications(topic: Topic, ids: readonly string[], customerId: string | null): string[] {
	if (ids.length === 0) return [JSON.stringify({ topic, ids, customerId } satisfies Change)];
	const payloads: string[] = [];
	for (let from = 0; from < ids.length; from += MOST_IDS)
		payloads.push(
			JSON.stringify({ topic, ids: ids.slice(from, from + MOST_IDS), customerId } satisfies Change)
		);
	return payloads;
}

/** Tells every process, when the transaction commits and only then. */
export async function notify(
	trx: Knex,
	topic: Topic,
	customerId: string | null,
	ids: readonly string[] = []
): Promise<void> {
	await trx.raw('select pg_notify(?, payload) from unnest(?::text[]) payload', [
		CHANNEL,
		notifications(topic, ids, customerId)
	]);
}

/** The same for things of many customers: each customer's watchers are told of that customer's. */
export async function notifyEach(
	trx: Knex,
	topic: Topic,
	things: readonly { readonly id: string; readonly customerId: string }[]
): Promise<void> {
	if (things.length === 0) return;
	const payloads = [...group(things, ({ customerId }) => customerId)].flatMap(([customerId, some]) =>
		notifications(
			topic,
			some.map(({ id }) => id),
			customerId
		)
	);
	await trx.raw('select pg_notify(?, payload) from unnest(?::text[]) payload', [CHANNEL, payloads]);
}
