import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { judgeCrossing, type Crossing, type Path } from '../../../core/reachability';
import type { Answered } from '../../../core/proof';
import { maskSecrets } from '../../../core/profile';
import { cleanText } from '../../../core/text';
import type { Ask } from '../../../core/pack';
import { ConnectionBroke, type ClaimedErrand, type Dialogue } from '../connections';
import { database, timeNow } from '../database';
import { notify } from '../live';
import { placesOf } from './places';
import { lookSoon } from './turns';

const id = v.pipe(v.string(), v.uuid());
const inputSchema = v.object({ from: id, to: v.array(v.object({ id, host: v.string() })) });

interface Found extends Crossing {
	readonly to: string;
	readonly answer: string;
}
const LONGEST_ANSWER = 1_000;

/**
 * Has a unit ask whether it reaches others, and by which path. It stops when something more urgent is wanted of its unit:
 * who was not asked comes first in its next turn.
 */
export async function across({ unit, input }: ClaimedErrand, dialogue: Dialogue): Promise<string> {
	const { from, to } = v.parse(inputSchema, input);
	const binding = await database()('binding')
		.where({ position_id: from, unit_id: unit.unitId })
		.first('unit_id');
	if (!binding) return 'It stands somewhere else now.';
	const { plan } = await placesOf(database(), { positionId: from });
	const found: Found[] = [];
	for (const { id: far, host } of to) {
		if (found.length > 0 && (await isWantedElsewhere(unit.unitId))) break;
		found.push(
			await asked(dialogue, host, (reach, path) =>
				judgeCrossing(plan, { from, to: far }, host, reach, path)
			).then((one) => ({ to: far, ...one }))
		);
	}
	await write(from, found);
	return `${found.filter(({ path }) => path !== 'none' && path !== 'unread').length} of ${found.length} reached.`;
}

/** Another turn is not given while one is open: whatever waits is wanted by somebody else, or by a person; but how it does can wait. */
const isWantedElsewhere = async (unitId: string): Promise<boolean> =>
	(await database()('errand')
		.where({ unit_id: unitId, state: 'waiting' })
		.whereNot({ kind: 'health' })
		.first('id')) !== undefined;

async function asked(
	dialogue: Dialogue,
	host: string,
	judged: (reach: Answered, path: Answered | null) => Crossing
): Promise<Crossing & { readonly answer: string }> {
	const said: string[] = [];
	const ask = async (what: Ask): Promise<Answered> => {
		const askedAt = timeNow();
		const { rows, text } = await dialogue.read(what, { host });
		said.push(maskSecrets(cleanText(text)).slice(0, LONGEST_ANSWER));
		return { rows, text, askedAt, answeredAt: timeNow() };
	};
	const found = async (): Promise<Crossing> => {
		const reach = await ask('reach');
		const first = judged(reach, null);
		return first.path === 'none' || first.path === 'unread' || !dialogue.knows('path')
			? first
			: judged(reach, await ask('path'));
	};
	const crossing = await found().catch((error: Error): Crossing => {
		// Asked again over the next connection: nothing is known
		if (error instanceof ConnectionBroke) throw error;
		const words = `It could not be read. ${maskSecrets(error.message)}`.slice(0, 400);
		return { path: 'unread', loss: null, milliseconds: null, hops: null, words };
	});
	return { ...crossing, answer: said.join('\n') };
}

interface Written {
	readonly to: string;
	readonly before: Path | null;
	readonly after: Path;
	readonly customerId: string;
}

/** Notes what was found; a path that changed is told, and a pair that fails now is looked at from both ends soon. */
const write = (from: string, found: readonly Found[]): Promise<void> =>
	database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`with found as (
				select f.*, far.customer_id, r.path as before from jsonb_to_recordset(:found::jsonb)
					as f("to" uuid, path text, loss smallint, milliseconds real, hops smallint, words text, answer text)
				join position near on near.id = :from join position far on far.id = f."to" and far.customer_id = near.customer_id
				left join reachability r on r.from_position = near.id and r.to_position = far.id
			), written as (
				insert into reachability as old (from_position, to_position, customer_id, path, loss, milliseconds, hops, words, answer)
				select :from, "to", customer_id, path, loss, milliseconds, hops, left(words, 500), left(answer, 2000) from found
				on conflict (from_position, to_position) do update set path = excluded.path, loss = excluded.loss,
					milliseconds = excluded.milliseconds, hops = excluded.hops, words = excluded.words, answer = excluded.answer,
					looked_at = now(), path_since = case when old.path = excluded.path then old.path_since else now() end
			)
			select "to", before, path as after, customer_id as "customerId" from found`,
			{ from, found: JSON.stringify(found) }
		);
		const written = rows as Written[];
		const changed = written.filter(({ before, after }) => before !== after);
		if (changed.length === 0) return;
		const moved = changed.filter(({ before }) => before !== null);
		if (moved.length > 0)
			await trx('path_change').insert(
				moved.map(({ to, before, after, customerId }) => ({
					id: uuid(),
					from_position: from,
					to_position: to,
					customer_id: customerId,
					before,
					after
				}))
			);
		const failing = changed.flatMap(({ to, after }) => (after === 'none' ? [to] : []));
		if (failing.length > 0) await lookSoon(trx, [from, ...failing]);
		await notify(trx, 'paths', changed[0]!.customerId, [from, ...changed.map(({ to }) => to)]);
	});
