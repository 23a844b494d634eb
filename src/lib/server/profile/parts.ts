import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { Dialect } from '../../../core/config';
import type { Field, PurposeId, RenderProblem, Texts } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { secondPersonRefusal, sharedRefusal } from '../people';
import { offMainThread, task } from '../threads';
import { partRevisions, usesOfPart, type PartRevision } from './library';

/** What somebody saved, or what somebody else had saved meanwhile. */
export type Saved<Theirs> =
	| { readonly ok: true; readonly done: { readonly edit: number } }
	| { readonly ok: false; readonly problem: string; readonly theirs?: Theirs };

const NOT_YOURS = 'Parts and profiles are written by engineers.';

const mayNot = (trx: Knex, partId: string, actor: Actor) =>
	sharedRefusal(trx, 'edit profiles', { part: partId }, actor, NOT_YOURS);

const aboutPart = (id: string, act: string, words: string): LedgerAct => ({
	act,
	customerId: null,
	subjectKind: 'part',
	subjectId: id,
	words
});

interface NewPart {
	readonly name: string;
	readonly summary: string;
	/** By which the guided start and a take-on find it. */
	readonly purpose?: PurposeId | null;
	readonly texts?: Texts;
	readonly fields?: readonly Field[];
	/** The profile whose own it is, until somebody puts it into the library. */
	readonly onlyFor?: string;
}

/** Begins a part with an empty draft, or with texts and fields that somebody has already. */
export const createPart = (given: NewPart, actor: Actor): Promise<Act<{ id: string }>> =>
	changing((trx) => createPartIn(trx, given, actor), partWords(given.name));

export const partWords = (name: string) => ({ part_name: `There is a part called “${name}” already.` });

/** The same as part of another act; rejects, as the database does, when there is one of that name. */
export async function createPartIn(
	trx: Knex,
	{ name, summary, purpose = null, texts = {}, fields = [], onlyFor }: NewPart,
	actor: Actor
): Promise<Act<{ id: string; revisionId: string }>> {
	if (!actor.may('edit profiles', null)) return refuse(NOT_YOURS);
	const [id, revisionId] = [uuid(), uuid()];
	await trx('part').insert({ id, name, summary, purpose, only_for: onlyFor ?? null });
	await trx('part_revision').insert({
		id: revisionId,
		part_id: id,
		number: 1,
		state: 'draft',
		texts: JSON.stringify(texts),
		fields: JSON.stringify(fields),
		edited_by: actor.name,
		edited_by_id: actor.personId ?? null
	});
	await notify(trx, 'profiles', null, [id]);
	await enterInLedger(trx, actor, [aboutPart(id, 'write part', `Part “${name}” begun.`)]);
	return done({ id, revisionId });
}

/** Puts a part that was one profile’s own into the library, for everybody. */
export const putIntoLibrary = (partId: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const refused = await mayNot(trx, partId, actor);
		if (refused) return refused;
		const [part] = await trx('part')
			.where({ id: partId })
			.whereNotNull('only_for')
			.update({ only_for: null })
			.returning('name');
		if (!part) return refuse('It is in the library already.');
		await notify(trx, 'profiles', null, [partId]);
		await enterInLedger(trx, actor, [
			aboutPart(partId, 'write part', `Part “${part.name}” put into the library.`)
		]);
		return done(undefined);
	});

export interface PartDraft {
	readonly texts: Texts;
	readonly fields: readonly Field[];
}

/**
 * Saves a part's draft; begins one from the newest release when there is none. `edit` is the draft as
 * whoever saves last saw it (0: none): when somebody else saved meanwhile nothing is overwritten, and
 * theirs comes back.
 */
export async function savePart(
	partId: string,
	edit: number,
	{ texts, fields }: PartDraft,
	actor: Actor
): Promise<Saved<PartRevision>> {
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, partId, actor);
		if (refused) return refused;
		const part = await trx('part').where({ id: partId }).whereNull('retired_at').forUpdate().first('name');
		if (!part) return { ok: false, problem: 'There is no such part.' };
		const draft = await partRevisions(trx).where({ part_id: partId, state: 'draft' }).first();
		const content = { texts: JSON.stringify(texts), fields: JSON.stringify(fields) };
		if ((draft?.edit ?? 0) !== edit) return overtaken(draft);
		const next = edit + 1;
		if (draft)
			await trx('part_revision')
				.where({ id: draft.id })
				.update({
					...content,
					edit: next,
					edited_by: actor.name,
					edited_by_id: actor.personId ?? null,
					edited_at: trx.fn.now()
				});
		else {
			const newest = await trx('part_revision').where({ part_id: partId }).max('number as last').first();
			await trx('part_revision').insert({
				...content,
				id: uuid(),
				part_id: partId,
				number: (newest?.last ?? 0) + 1,
				state: 'draft',
				edited_by: actor.name,
				edited_by_id: actor.personId ?? null
			});
		}
		await notify(trx, 'profiles', null, [partId]);
		await enterInLedger(trx, actor, [aboutPart(partId, 'write part', `Draft of part “${part.name}” saved.`)]);
		return { ok: true, done: { edit: next } };
	});
}

/** The answer to whoever saves what somebody else has changed or released meanwhile. */
export const overtaken = <Theirs extends { readonly editedBy: string }>(
	theirs: Theirs | undefined
): Saved<Theirs> =>
	theirs
		? {
				ok: false,
				problem: `${theirs.editedBy} saved this draft while you wrote. Nothing of theirs was overwritten, and yours is still here: compare and decide.`,
				theirs
			}
		: {
				ok: false,
				problem:
					'This draft was released or thrown away while you wrote. Yours is still here: copy it, and begin a new draft.'
			};

const CHECK_PIECES = task<
	readonly { readonly name: string; readonly text: string; readonly fields: readonly Field[] }[],
	readonly (readonly RenderProblem[])[]
>('checkPieces');

/** What keeps a revision from being released, all at once. */
async function problemsOfPart(
	name: string,
	{ texts, fields }: PartDraft
): Promise<readonly (RenderProblem & { readonly dialect: Dialect })[]> {
	const written = Object.entries(texts) as [Dialect, string][];
	const problems = await offMainThread(
		CHECK_PIECES,
		written.map(([, text]) => ({ name, text, fields }))
	);
	return written.flatMap(([dialect], at) => problems[at]!.map((problem) => ({ ...problem, dialect })));
}

/** Releases a part's draft, which never changes again. Profiles go on with the revision they chose. */
export const releasePart = (partId: string, edit: number, why: string, actor: Actor): Promise<Act> =>
	database().transaction((trx) => releasePartIn(trx, partId, edit, why, actor));

/** The same as part of another act. */
export async function releasePartIn(
	trx: Knex,
	partId: string,
	edit: number,
	why: string,
	actor: Actor
): Promise<Act> {
	const refused = await mayNot(trx, partId, actor);
	if (refused) return refused;
	const part = await trx('part').where({ id: partId }).whereNull('retired_at').forUpdate().first('name');
	const draft = part && (await partRevisions(trx).where({ part_id: partId, state: 'draft' }).first());
	if (!draft) return refuse('There is no draft to release.');
	if (draft.edit !== edit)
		return refuse(`${draft.editedBy} saved this draft after you last saw it. Read it again first.`);
	const wantsOther = secondPersonRefusal(draft.editedById, actor);
	if (wantsOther) return wantsOther;
	if (Object.keys(draft.texts).length === 0) return refuse('There is no text yet.');
	const [problem] = await problemsOfPart(part.name, draft);
	if (problem) return refuse(`The ${problem.dialect} text, line ${problem.line ?? 1}: ${problem.message}`);
	await trx('part_revision')
		.where({ id: draft.id })
		.update({ state: 'released', note: why, released_by: actor.name, released_at: trx.fn.now() });
	await notify(trx, 'profiles', null, [partId]);
	await enterInLedger(trx, { ...actor, reason: why }, [
		aboutPart(partId, 'release part', `Part “${part.name}” released as revision ${draft.number}.`)
	]);
	return done(undefined);
}

/** Throws a part's draft away. */
export async function dropPartDraft(partId: string, edit: number, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, partId, actor);
		if (refused) return refused;
		const part = await trx('part').where({ id: partId }).forUpdate().first('name');
		const draft = part && (await partRevisions(trx).where({ part_id: partId, state: 'draft' }).first());
		if (!draft) return refuse('There is no draft any more.');
		if (draft.edit !== edit)
			return refuse(`${draft.editedBy} saved this draft after you last saw it. Read it first.`);
		try {
			await trx('part_revision').where({ id: draft.id }).delete();
		} catch (error) {
			if (!isRefusal(error)) throw error;
			return refuse('A profile’s draft uses this draft; take it out there first.');
		}
		await notify(trx, 'profiles', null, [partId]);
		await enterInLedger(trx, actor, [
			{
				...aboutPart(partId, 'write part', `Draft of part “${part.name}” thrown away.`),
				before: { texts: draft.texts }
			}
		]);
		return done(undefined);
	});
}

/** Takes a part out of the library. Refused while a profile uses it; what was released stays readable. */
export async function retirePart(partId: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, partId, actor);
		if (refused) return refused;
		const part = await trx('part').where({ id: partId }).whereNull('retired_at').forUpdate().first('name');
		if (!part) return refuse('There is no such part.');
		const uses = await usesOfPart(partId, trx);
		if (uses.length > 0) {
			const names = [...new Set(uses.map(({ profileName }) => profileName))];
			return refuse(
				`“${part.name}” is used by ${names.slice(0, 3).join(', ')}${names.length > 3 ? ` and ${names.length - 3} more` : ''}. Take it out there first.`
			);
		}
		await trx('part').where({ id: partId }).update({ retired_at: trx.fn.now() });
		await notify(trx, 'profiles', null, [partId]);
		await enterInLedger(trx, actor, [
			aboutPart(partId, 'retire part', `Part “${part.name}” taken out of the library.`)
		]);
		return done(undefined);
	});
}
