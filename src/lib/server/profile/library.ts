import type { Knex } from 'knex';
import type { Dialect } from '../../../core/config';
import type { Field, PurposeId, Texts } from '../../../core/profile';
import { database } from '../database';

/** Parts: reusable pieces of configuration text. Engineers write them; everybody who works with profiles reads them. */
export interface PartRow {
	readonly id: string;
	readonly name: string;
	readonly summary: string;
	readonly purpose: PurposeId | null;
	readonly retiredAt: Date | null;
	/** The profile whose own it is; null: everybody may use it. */
	readonly onlyFor: string | null;
	/** The newest released revision, and the draft if one is being written. */
	readonly number: number | null;
	readonly releasedAt: Date | null;
	readonly draft: number | null;
	readonly dialects: readonly Dialect[];
	readonly fields: number;
	/** How many profiles use it in what they have released or are writing. */
	readonly profiles: number;
}

const PARTS = `
	select part.id, part.name, part.summary, part.purpose, part.retired_at as "retiredAt", part.only_for as "onlyFor", newest.number, newest.released_at as "releasedAt",
		draft.number as draft, coalesce(array(select jsonb_object_keys(coalesce(newest.texts, draft.texts)) order by 1), '{}') as dialects,
		jsonb_array_length(coalesce(newest.fields, draft.fields)) as fields,
		(select count(distinct profile.id)::int from profile_part join profile_revision r on r.id = revision_id
			join profile on profile.id = r.profile_id
			where profile_part.part_id = part.id and profile.retired_at is null
			and (r.state = 'draft' or r.id = profile.released_revision_id)) as profiles
	from part
	left join lateral (select * from part_revision where part_id = part.id and state = 'released' order by number desc limit 1) newest on true
	left join part_revision draft on draft.part_id = part.id and draft.state = 'draft'`;

/** The library, as far as it is not retired; with what is a profile's own, for that. */
export const allParts = async (profileId: string | null = null): Promise<PartRow[]> =>
	(
		await database().raw(
			`${PARTS} where part.retired_at is null and (part.only_for is null or part.only_for = ?) order by part.name`,
			[profileId]
		)
	).rows;

export const partById = async (id: string): Promise<PartRow | undefined> =>
	(await database().raw(`${PARTS} where part.id = ?`, [id])).rows[0];

export interface PartRevision {
	readonly id: string;
	readonly partId: string;
	readonly number: number;
	readonly state: 'draft' | 'released';
	readonly texts: Texts;
	readonly fields: readonly Field[];
	readonly note: string;
	readonly edit: number;
	readonly editedBy: string;
	readonly editedById: string | null;
	readonly editedAt: Date;
	readonly releasedBy: string | null;
	readonly releasedAt: Date | null;
}

export const partRevisions = (knex: Knex) =>
	knex('part_revision').select<PartRevision[]>(
		'id', 'part_id as partId', 'number', 'state', 'texts', 'fields', 'note', 'edit', 'edited_by as editedBy', 'edited_by_id as editedById',
		'edited_at as editedAt', 'released_by as releasedBy', 'released_at as releasedAt'
	); // prettier-ignore

export const revisionsOfPart = (partId: string): Promise<PartRevision[]> =>
	partRevisions(database()).where({ part_id: partId }).orderBy('number', 'desc');

/** The newest released revision of every part in the library. */
export const newestPartRevisions = async (knex: Knex = database()): Promise<PartRevision[]> =>
	partRevisions(knex)
		.distinctOn('part_id')
		.where({ state: 'released' })
		.orderBy('part_id')
		.orderBy('number', 'desc');

/** A part that everybody may use, in its newest released revision, whose `id` is that revision’s. */
export interface PartOfLibrary {
	readonly id: string;
	readonly partId: string;
	readonly name: string;
	readonly texts: Texts;
	readonly fields: readonly Field[];
}
/** Parts that say the same at whatever uplink a site has. */
export async function releasedParts(knex: Knex = database()): Promise<readonly PartOfLibrary[]> {
	const { rows } = await knex.raw(
		`select distinct on (part.id) revision.id, part.id as "partId", part.name, revision.texts, revision.fields
		from part join part_revision revision on revision.part_id = part.id and revision.state = 'released'
		where part.retired_at is null and part.only_for is null and coalesce(part.purpose, '') not like 'uplink-%'
		order by part.id, revision.number desc`
	);
	return rows;
}

/** Which profiles use a part, and at which revision. */
export async function usesOfPart(
	partId: string,
	knex: Knex = database()
): Promise<{ profileId: string; profileName: string; number: number; isDraft: boolean }[]> {
	const { rows } = await knex.raw(
		`select profile.id as "profileId", profile.name as "profileName", p.number, r.state = 'draft' as "isDraft"
		from profile_part join part_revision p on p.id = part_revision_id join profile_revision r on r.id = revision_id
		join profile on profile.id = r.profile_id
		where profile_part.part_id = ? and profile.retired_at is null and (r.state = 'draft' or r.id = profile.released_revision_id)
		order by profile.name, r.number`,
		[partId]
	);
	return rows;
}
