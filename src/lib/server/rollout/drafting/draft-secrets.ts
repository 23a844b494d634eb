import { kindTitle } from '../../../../core/rollout';
import { counted } from '../../../../core/text';
import { refuse, type Act } from '../../act';
import { database } from '../../database';
import { callHomeKey } from '../../keys';
import type { Actor } from '../../ledger';
import { givenWords, heldSecrets, holdersOf, type HeldSecret } from '../../secrets';
import { MOST_UNITS, type NewItem } from './candidates';
import { layDown } from './draft';

/** At its unit a secret takes as long as a send, and a while to be proved. */
const SECONDS = 150;
export const MOST_RENEWED = 2_000;

/** Which secrets a rollout renews: of the plan, or Limen's own key at all units of customers that trust an older one. */
export type Renewing =
	| { readonly secrets: readonly string[] }
	| { readonly key: true; readonly customers: readonly string[] | null };

/**
 * Lays down a rollout that renews secrets: a unit with all of its own, a tunnel with the unit at its site's end. What some
 * units lack of a change that was made already is brought to its end. Whoever may send at all of their customers may. Refused:
 * where no unit that is online runs any of them.
 */
export async function draftRenewal(
	renewing: Renewing,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	if (!actor.personId) return refuse('Only a person can plan a rollout.');
	const given = 'key' in renewing ? [] : await notOurs(renewing.secrets);
	if (given.length > 0) return refuse(givenWords(given));
	const pairs =
		'key' in renewing ? await trustingOlder(renewing.customers) : await holdingThem(renewing.secrets);
	const units = await placesOf([...new Set(pairs.map(({ unitId }) => unitId))]);
	if (units.length > MOST_UNITS) return refuse(`At most ${MOST_UNITS} units in one rollout.`);
	if (units.length === 0)
		return refuse(
			'key' in renewing
				? 'Every unit that is online trusts the present key.'
				: 'No unit that is online runs them.'
		);
	const customerOf = new Map(units.map(({ unit, customer }) => [unit, customer]));
	const named = pairs.filter(({ secretId, unitId }) => secretId !== null && customerOf.has(unitId));
	const left =
		'key' in renewing
			? 0
			: new Set(renewing.secrets).size - new Set(named.map(({ secretId }) => secretId)).size;
	return layDown(
		{
			title: 'key' in renewing ? 'Limen’s new key' : kindTitle('secret'),
			kind: 'secret',
			words: left === 0 ? '' : `Left out: ${counted(left, 'secret')} that no unit runs, or not at both ends.`,
			items: units.map((unit) => ({ ...unit, gets: null, version: null, takes: SECONDS }))
		},
		actor,
		(trx, id) =>
			trx.batchInsert(
				'rollout_secret',
				named.map(({ secretId, unitId }) => ({
					rollout_id: id,
					unit_id: unitId,
					secret_id: secretId,
					customer_id: customerOf.get(unitId)!
				})),
				1_000
			)
	);
}

interface Pair {
	readonly unitId: string;
	readonly secretId: string | null;
}

/** Those that somebody else gives, unless they were and some units lack them. */
async function notOurs(ids: readonly string[]): Promise<readonly HeldSecret[]> {
	return (await heldSecrets(database(), ids)).filter(({ isGiven, previous }) => isGiven && previous === null);
}

async function holdingThem(ids: readonly string[]): Promise<readonly Pair[]> {
	const held = await heldSecrets(database(), ids);
	const holders = await holdersOf(database(), ids);
	return held.flatMap(({ id, scope, ends, previous }) => {
		const own = holders.filter(({ secretId }) => secretId === id);
		const isUnfinished = previous !== null && own.some(({ runsOld }) => runsOld);
		if (scope !== 'tunnel')
			return own
				.filter(({ runsOld }) => !isUnfinished || runsOld)
				.map(({ unitId }) => ({ unitId, secretId: id }));
		// The site's end; its other end is changed along with it
		const near = own.find(({ positionId }) => positionId === ends[0]);
		return near && own.length === 2 ? [{ unitId: near.unitId, secretId: id }] : [];
	});
}

async function trustingOlder(customers: readonly string[] | null): Promise<readonly Pair[]> {
	const rows: { unitId: string }[] = await database()('unit')
		.join('binding', 'binding.unit_id', 'unit.id')
		.whereNotNull('login_key')
		.whereNot({ login_key: callHomeKey().fingerprint })
		.modify((query) => customers && void query.whereIn('binding.customer_id', [...customers]))
		.select('unit.id as unitId');
	return rows.map(({ unitId }) => ({ unitId, secretId: null }));
}

/** Where units are that are online, and what of each stands in a rollout whatever it does. */
async function placesOf(
	unitIds: readonly string[]
): Promise<readonly Omit<NewItem, 'gets' | 'version' | 'takes'>[]> {
	const { rows } = await database().raw(
		`select binding.unit_id as unit, position.id as position, position.site_id as site, binding.customer_id as customer, unit.model_id as model,
			position.role_id in ('router', 'gateway') as front, coalesce(unit.reported_version, '') as had
		from binding join run on run.id = binding.run_id and run.outcome = 'through' join unit on unit.id = binding.unit_id
		join position on position.id = binding.position_id join site on site.id = position.site_id
		where binding.unit_id = any (?::uuid[]) order by binding.customer_id, site.name, position.name`,
		[[...unitIds]]
	);
	return rows;
}
