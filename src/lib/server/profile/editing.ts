import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	isSecretName,
	type CarriedFile,
	type ProofCheck,
	type Scripts,
	type Texts,
	type Values
} from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, isRefusal } from '../database';
import { isSealed, seal } from '../keys';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';
import { withKept } from './revisions/keeping';
import { storedFile } from './files';
import { overtaken, type Saved } from './parts';
import { revisionsById, secretNames, type Revision } from './revisions/revisions';

/** Writing profiles: drafts, releases, and going back. By engineers. */
export const NOT_YOURS = 'Parts and profiles are written by engineers.';

export interface ProfileDraft {
	/** Revisions of parts, in their order. */
	readonly parts: readonly string[];
	readonly texts: Texts;
	readonly targets: Readonly<Record<string, string>>;
	readonly scripts: Readonly<Record<string, Scripts>>;
	readonly files: readonly CarriedFile[];
	readonly checks: readonly ProofCheck[];
	/** A mask stands for a secret that was not touched. */
	readonly values: Values;
}
export const EMPTY_DRAFT: ProfileDraft = {
	parts: [],
	texts: {},
	targets: {},
	scripts: {},
	files: [],
	checks: [],
	values: {}
};

export const aboutProfile = (id: string, act: string, words: string): LedgerAct => ({
	act,
	customerId: null,
	subjectKind: 'profile',
	subjectId: id,
	words
});

interface NewProfile {
	readonly name: string;
	readonly role: string;
	readonly draft?: ProfileDraft;
}

/** Begins a profile with a draft. */
export const createProfile = (given: NewProfile, actor: Actor): Promise<Act<{ id: string }>> =>
	changing((trx) => createProfileIn(trx, given, actor), profileWords(given.name), NO_ROLE);

const NO_ROLE = 'There is no such role, or no such part.';
export const profileWords = (name: string) => ({
	profile_name: `There is a profile called “${name}” already.`
});

/** The same as part of another act; rejects, as the database does, when there is one of that name. */
export async function createProfileIn(
	trx: Knex,
	{ name, role, draft = EMPTY_DRAFT }: NewProfile,
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (!actor.may('edit profiles', null)) return refuse(NOT_YOURS);
	const id = uuid();
	await trx('profile').insert({ id, name, role_id: role });
	await insertDraft(trx, id, 1, draft, actor);
	await notify(trx, 'profiles', null, [id]);
	await enterInLedger(trx, actor, [aboutProfile(id, 'write profile', `Profile “${name}” begun.`)]);
	return done({ id });
}

/** Gives a draft that was just begun more parts, behind those that it has, in the transaction that began it. */
export const addPartsIn = async (trx: Knex, profileId: string, parts: readonly string[]): Promise<void> =>
	insertParts(trx, (await draftOf(trx, profileId))!.id, parts);

async function insertDraft(
	trx: Knex,
	profileId: string,
	number: number,
	draft: ProfileDraft,
	actor: Actor
): Promise<void> {
	const id = uuid();
	await trx('profile_revision').insert({
		id,
		profile_id: profileId,
		number,
		state: 'draft',
		edited_by: actor.name,
		edited_by_id: actor.personId ?? null,
		...(await stored(trx, draft))
	});
	await insertParts(trx, id, draft.parts);
}

const stored = async (trx: Knex, { texts, targets, scripts, files, checks, values }: ProfileDraft) => ({
	texts: JSON.stringify(texts),
	targets: JSON.stringify(targets),
	scripts: JSON.stringify(scripts),
	files: JSON.stringify(files.map(storedFile)),
	checks: JSON.stringify(checks),
	values: JSON.stringify(await sealedValues(trx, values))
});

/** Values as they are stored: what a field or its name calls a secret is sealed. */
export async function sealedValues(knex: Knex, values: Values): Promise<Values> {
	const declared = await secretNames(knex);
	return Object.fromEntries(
		Object.entries(values).map(([name, value]) => [
			name,
			(declared.has(name) || isSecretName(name)) && typeof value !== 'object' && !isSealed(String(value))
				? seal(String(value))
				: value
		])
	);
}

async function insertParts(trx: Knex, revisionId: string, parts: readonly string[]): Promise<void> {
	if (parts.length === 0) return;
	const { rowCount } = await trx.raw(
		`insert into profile_part (revision_id, ordinal, part_id, part_revision_id)
		select :revision, ordinal + coalesce((select max(ordinal) from profile_part where revision_id = :revision), 0), part_id, part_revision.id
		from unnest(:parts::uuid[]) with ordinality as listed(id, ordinal) join part_revision using (id)`,
		{ revision: revisionId, parts: [...parts] }
	);
	if (rowCount !== parts.length) throw new MissingPart();
}
class MissingPart extends Error {}

export const draftOf = async (trx: Knex, profileId: string): Promise<Revision | undefined> => {
	const row = await trx('profile_revision').where({ profile_id: profileId, state: 'draft' }).first('id');
	return row && (await revisionsById(trx, [row.id])).get(row.id);
};

const releasedOf = async (trx: Knex, profileId: string): Promise<Revision | undefined> => {
	const row = await trx('profile').where({ id: profileId }).first('released_revision_id as id');
	return row?.id ? (await revisionsById(trx, [row.id])).get(row.id) : undefined;
};

/**
 * Saves a profile's draft; begins one when there is none. `edit` is the draft as whoever saves last saw
 * it (0: none): when somebody else saved meanwhile nothing is overwritten, and theirs comes back.
 */
export async function saveProfile(
	profileId: string,
	edit: number,
	draft: ProfileDraft,
	actor: Actor
): Promise<Saved<Revision>> {
	try {
		return await database().transaction(async (trx): Promise<Saved<Revision>> => {
			const refused = await mayNot(trx, profileId, actor);
			if (refused) return refused;
			const profile = await lockProfile(trx, profileId);
			if (!profile) return { ok: false, problem: 'There is no such profile.' };
			const present = await draftOf(trx, profileId);
			if ((present?.edit ?? 0) !== edit) return overtaken(present);
			const base = present ?? (await releasedOf(trx, profileId));
			const kept = { ...draft, values: withKept(draft.values, base?.values ?? {}) };
			if (present) {
				await trx('profile_part').where({ revision_id: present.id }).delete();
				await trx('profile_revision')
					.where({ id: present.id })
					.update({
						...(await stored(trx, kept)),
						edit: edit + 1,
						edited_by: actor.name,
						edited_by_id: actor.personId ?? null,
						edited_at: trx.fn.now()
					});
				await insertParts(trx, present.id, draft.parts);
			} else await insertDraft(trx, profileId, await nextNumber(trx, profileId), kept, actor);
			await notify(trx, 'profiles', null, [profileId]);
			await enterInLedger(trx, actor, [
				aboutProfile(profileId, 'write profile', `Draft of profile “${profile.name}” saved.`)
			]);
			return { ok: true, done: { edit: edit + 1 } };
		});
	} catch (error) {
		if (error instanceof MissingPart)
			return {
				ok: false,
				problem: 'A part that this draft uses was thrown away meanwhile. Nothing was saved.'
			};
		if (!isRefusal(error)) throw error;
		return { ok: false, problem: 'A profile uses each part once. Nothing was saved.' };
	}
}

export const mayNot = (trx: Knex, profileId: string, actor: Actor) =>
	sharedRefusal(trx, 'edit profiles', { profile: profileId }, actor, NOT_YOURS);

export const lockProfile = (trx: Knex, id: string): Promise<{ name: string; role_id: string } | undefined> =>
	trx('profile').where({ id }).whereNull('retired_at').forUpdate().first('name', 'role_id');

const nextNumber = async (trx: Knex, profileId: string): Promise<number> =>
	((await trx('profile_revision').where({ profile_id: profileId }).max('number as last').first())?.last ??
		0) + 1;

/** Begins a draft that is the same as an earlier revision: the way back, and the way on. */
export async function draftFrom(profileId: string, number: number, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, profileId, actor);
		if (refused) return refused;
		const profile = await lockProfile(trx, profileId);
		if (!profile) return refuse('There is no such profile.');
		if (await draftOf(trx, profileId))
			return refuse('There is a draft already: release it or throw it away first.');
		const row = await trx('profile_revision')
			.where({ profile_id: profileId, number, state: 'released' })
			.first('id');
		const from: Revision | undefined = row && (await revisionsById(trx, [row.id])).get(row.id);
		if (!from) return refuse(`There is no released revision ${number}.`);
		const parts = from.parts.map(({ revisionId }) => revisionId);
		await insertDraft(trx, profileId, await nextNumber(trx, profileId), { ...from, parts }, actor);
		await notify(trx, 'profiles', null, [profileId]);
		await enterInLedger(trx, actor, [
			aboutProfile(
				profileId,
				'write profile',
				`Draft of profile “${profile.name}” begun from revision ${number}.`
			)
		]);
		return done(undefined);
	});
}

/** Throws a profile's draft away. */
export async function dropProfileDraft(profileId: string, edit: number, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const refused = await mayNot(trx, profileId, actor);
		if (refused) return refused;
		const profile = await lockProfile(trx, profileId);
		const draft = profile && (await draftOf(trx, profileId));
		if (!draft) return refuse('There is no draft any more.');
		if (draft.edit !== edit)
			return refuse(`${draft.editedBy} saved this draft after you last saw it. Read it first.`);
		if (draft.number === 1)
			return refuse('This profile has nothing but its draft: retire the profile instead.');
		await trx('profile_revision').where({ id: draft.id }).delete();
		await notify(trx, 'profiles', null, [profileId]);
		await enterInLedger(trx, actor, [
			aboutProfile(profileId, 'write profile', `Draft of profile “${profile.name}” thrown away.`)
		]);
		return done(undefined);
	});
}
