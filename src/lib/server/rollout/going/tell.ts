import type { Knex } from 'knex';
import { BOOTSTRAP, database, runAs } from '../../database';
import { log } from '../../log';
import { post } from '../../mail';
import { currentSettings, publicUrl } from '../../settings';

/** Whoever began a rollout is to be told this of it, by letter; in the transaction in which it happened. */
export const toTell = (trx: Knex, rolloutId: string, words: string): Promise<unknown> =>
	trx('rollout')
		.where({ id: rolloutId })
		.update({ to_tell: trx.raw('array_append(to_tell, ?)', [words.slice(0, 2_000)]) });

/** Writes the letters that are owed, each once: as whoever they are for, who alone may write to themselves. */
export async function tellOfRollouts(): Promise<void> {
	const owed: { id: string; title: string; personId: string; words: string[] }[] = await database()('rollout')
		.whereRaw('cardinality(to_tell) > 0')
		.select('id', 'title', 'person_id as personId', 'to_tell as words');
	for (const { id, title, personId, words } of owed) {
		const { rows } = await database().raw('select email from limen_person_by_id(?)', [personId]);
		const [person] = rows as { email: string }[];
		const told = (trx: Knex) => trx('rollout').where({ id, to_tell: words }).update({ to_tell: [] });
		if (!person) await database().transaction(told);
		else
			await runAs({ kind: 'person', personId }, () =>
				database().transaction(async (trx) => {
					if ((await told(trx)) === 0) return;
					for (const one of words)
						await post(trx, {
							to: person.email,
							subject: `Rollout “${title}”: ${one.split('.')[0]}`,
							text: `${one}\n\n${publicUrl(currentSettings())}/arrivals/rollouts/${id}\n`
						});
				})
			).catch(async (error: Error) => {
				log.warn({ rollout: id, error: error.message }, 'nobody could be told of a rollout');
				await runAs(BOOTSTRAP, () => database().transaction(told));
			});
	}
}
