import type { Knex } from 'knex';
import type { Duplex } from 'node:stream';
import type { Client } from 'ssh2';
import { RoundTrip } from '../../../core/errand';
import { cleanText } from '../../../core/text';
import { database, timeNow } from '../database';
import { notify } from '../live';
import { log } from '../log';
import { hold, type KnownUnit, type Way } from './held';
import { nudge } from './errands/work';

/** What is to be done for every unit that has come, beside what it may be asked for. */
type Welcome = (unit: KnownUnit) => Promise<void>;
const welcomes: Welcome[] = [];
export const onWelcome = (welcome: Welcome): void => void welcomes.push(welcome);

/** Units as connections know them. */
export const knownUnits = (knex: Knex): Knex.QueryBuilder =>
	knex('unit')
		.join('model', 'model.id', 'model_id')
		.select(
			'unit.id as unitId',
			'serial',
			'unit.maker_id as makerId',
			'dialect',
			'model_id as modelId',
			'unit.customer_id as customerId',
			'login_key as loginKey'
		);

/** A unit is connected, whoever began it: it is held, and what is wanted of it is done. */
export async function welcome(
	client: Client,
	unit: KnownUnit,
	from: { readonly address: string; readonly way: Way },
	stream: Duplex
): Promise<void> {
	const held = await hold(unit, client, stream, { ...from, trip: timed(stream) });
	stream.on('data', () => (held.heardAt = timeNow()));
	for (const one of welcomes) await one(unit);
	nudge(unit.unitId);
}

/** Watches how long answers take on a connection. */
function timed(stream: Duplex): RoundTrip {
	const trip = new RoundTrip();
	const write = stream.write.bind(stream) as (...parameters: unknown[]) => boolean;
	stream.write = (...parameters: unknown[]) => {
		trip.wrote(performance.now());
		return write(...parameters);
	};
	stream.on('data', () => trip.heard(performance.now()));
	return trip;
}

/** A unit that we know and that could not be talked to: its page says why until it can. `heard`: it called itself. */
export async function noteReachProblem(
	{ unitId, customerId, serial }: KnownUnit,
	message: string,
	heard: boolean
): Promise<void> {
	const words = cleanText(message).slice(0, 500);
	await database()
		.transaction(async (trx) => {
			await trx('unit')
				.where({ id: unitId })
				.update({
					reach_problem: words,
					reach_problem_at: trx.fn.now(),
					...(heard && { heard_at: trx.fn.now() })
				});
			await notify(trx, 'units', customerId, [unitId]);
		})
		.catch((failed: Error) =>
			log.warn({ serial, error: failed.message }, 'why a unit could not be reached could not be noted')
		);
}
