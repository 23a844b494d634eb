import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';

/** Views of lists that somebody keeps under a name: theirs alone. */
export interface SavedView {
	readonly id: string;
	readonly name: string;
	readonly query: string;
}
export type ListName = 'sites' | 'units';

const MOST_VIEWS = 40;

export const savedViews = (personId: string | undefined, list: ListName): Promise<SavedView[]> =>
	personId === undefined
		? Promise.resolve([])
		: database()('saved_view')
				.where({ person_id: personId, list })
				.orderByRaw('lower(name)')
				.limit(MOST_VIEWS)
				.select('id', 'name', 'query');

/** Keeps a view under a name; one of the same name becomes this one. */
export async function saveView(list: ListName, name: string, query: string, actor: Actor): Promise<Act> {
	const { personId } = actor;
	if (!personId) return refuse('Views are kept for people who are signed in.');
	if (name === '') return refuse('Give the view a name.');
	return changing(async (trx) => {
		const { rows } = await trx.raw(
			`insert into saved_view (id, person_id, list, name, query) select ?, ?, ?, ?, ?
			where (select count(*) from saved_view where person_id = ? and list = ?) < ${MOST_VIEWS}
				or exists (select from saved_view where person_id = ? and list = ? and lower(name) = lower(?))
			on conflict (person_id, list, lower(name)) do update set name = excluded.name, query = excluded.query, saved_at = now() returning id`,
			[uuid(), personId, list, name, query, personId, list, personId, list, name]
		);
		if (rows.length === 0) return refuse(`You keep ${MOST_VIEWS} views already; drop one first.`);
		await enterInLedger(trx, actor, [
			aboutViews(actor, 'save view', `${actor.name} keeps “${name}” of ${list}.`)
		]);
		return done(undefined);
	});
}

/** Drops a view of one's own. */
export const dropView = (id: string, actor: Actor): Promise<Act> =>
	database().transaction(async (trx) => {
		const [view] = await trx('saved_view')
			.where({ id, person_id: actor.personId ?? null })
			.delete()
			.returning(['name', 'list']);
		if (!view) return refuse('This view is gone already.');
		await enterInLedger(trx, actor, [
			aboutViews(actor, 'drop view', `${actor.name} keeps “${view.name}” of ${view.list} no longer.`)
		]);
		return done(undefined);
	});

const aboutViews = ({ personId }: Actor, act: string, words: string) => ({
	act,
	customerId: null,
	subjectKind: 'person' as const,
	subjectId: personId!,
	words
});
