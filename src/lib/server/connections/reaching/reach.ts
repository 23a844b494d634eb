import { failedPart } from '../../../../core/login';
import { BOOTSTRAP, database, runAs } from '../../database';
import { onBeat } from '../../jobs';
import { unseal } from '../../keys';
import { subscribe } from '../../live';
import { log } from '../../log';
import type { KnownUnit } from '../held';
import { logInTo } from './logins';
import type { SshLogin } from '../speaking/ssh';
import { ANOTHER_KEY, openTo, pinned, REACH_LOGIN, wayFor } from './ways';
import { knownUnits, noteReachProblem, welcome } from '../welcome';

/** Reaches units that do not dial home: those that have an address, again and again with growing pauses. */
const AT_ONCE = 20;
/** A process that tries has so long before another may; it grows with every try that failed. */
const FIRST_PAUSE_S = 30;
const LONGEST_PAUSE_S = 900;
/** How long after its connection was lost a unit that calls home is not dialled to. */
const HOME_FIRST = '5 minutes';

export function startReaching(): void {
	onBeat(reachOut);
	// Whoever has just asked for it waits
	subscribe(
		({ topic }) =>
			void (
				topic === 'reach-asked' &&
				runAs(BOOTSTRAP, reachOut).catch((error: Error) =>
					log.warn({ error: error.message }, 'nobody could be reached')
				)
			),
		() => true
	);
}

type Stranger = (unit: KnownUnit, address: string) => Promise<void>;
const strangers: Stranger[] = [];
/** When what answers at a unit’s address shows another host key than at the first contact. Runs as BOOTSTRAP. */
export const onOtherKey = (listener: Stranger): void => void strangers.push(listener);

interface Due {
	readonly unit: KnownUnit;
	readonly address: string;
	readonly port: number;
	readonly login: string;
}

/** Takes up what is due; the next try is put off in the same statement, so that no other process tries as well. */
async function reachOut(): Promise<void> {
	const { rows } = await database().raw(
		`with due as (
			select unit_id from unit_reach r join unit on unit.id = unit_id and out_of_service_at is null
			where next_try_at <= now() and not exists (
				select from unit_connection c where c.unit_id = r.unit_id
				-- one that calls home is left the time to do so again
					and (c.ended_at is null or r.home_since is not null and c.ended_at > now() - interval '${HOME_FIRST}')
			)
			order by next_try_at limit ${AT_ONCE} for update of r skip locked
		)
		update unit_reach r set tries = tries + 1,
			next_try_at = now() + make_interval(secs => least(${LONGEST_PAUSE_S}, ${FIRST_PAUSE_S} * power(2, least(tries, 10))))
		from due where r.unit_id = due.unit_id
		returning r.unit_id as id, host(address) as address, port, ${REACH_LOGIN} as login`
	);
	const byId = new Map((rows as (Omit<Due, 'unit'> & { id: string })[]).map((row) => [row.id, row]));
	if (byId.size === 0) return;
	const units = (await knownUnits(database()).whereIn('unit.id', [...byId.keys()])) as KnownUnit[];
	// Not waited for: a beat goes on while somebody does not answer
	for (const unit of units)
		void runAs(BOOTSTRAP, () => reach({ unit, ...byId.get(unit.unitId)! })).catch((error: Error) =>
			log.warn({ serial: unit.serial, error: error.message }, 'a unit could not be reached')
		);
}

async function reach({ unit, address, port, login }: Due): Promise<void> {
	const { unitId, customerId } = unit;
	try {
		const stream = await openTo(await wayFor(database(), customerId, address), address, port);
		const client = await logInTo(
			stream,
			(key) => runAs(BOOTSTRAP, () => pinned('unit_reach', { unit_id: unitId }, key)),
			() => unit,
			JSON.parse(unseal(login)) as SshLogin
		).catch((error: Error) => {
			stream.destroy();
			throw error;
		});
		// The pauses begin anew: what is lost now is looked for soon
		await database()('unit_reach')
			.where({ unit_id: unitId })
			.update({ tries: 0, next_try_at: database().fn.now() });
		if (client) await welcome(client, unit, { address, way: 'out' }, stream);
	} catch (error) {
		await noteReachProblem(unit, `It could not be reached at ${address}: ${wordsOf(error as Error)}`, false);
		if ((error as Error).message === ANOTHER_KEY) for (const one of strangers) await one(unit, address);
	}
}

/** What went wrong, by the part that did. */
function wordsOf({ message }: Error): string {
	switch (failedPart(message)) {
		case 'port closed':
			return `nothing listens there. (${message})`;
		case 'unreachable':
			return `nobody answers. (${message})`;
		case 'login':
			return 'user or password was refused.';
		default:
			return message;
	}
}
