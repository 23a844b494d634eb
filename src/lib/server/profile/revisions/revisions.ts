import type { Knex } from 'knex';
import type { Dialect } from '../../../../core/config';
import {
	isSecretName,
	isSecretType,
	type Field,
	type Piece,
	type ProofCheck,
	type PurposeId,
	type Scripts,
	type Texts,
	type Values
} from '../../../../core/profile';
import type { StoredFile } from '../files';

/** A part as a profile's revision uses it. */
export interface UsedPart {
	readonly partId: string;
	readonly revisionId: string;
	readonly name: string;
	readonly number: number;
	readonly state: 'draft' | 'released';
	readonly texts: Texts;
	readonly fields: readonly Field[];
	/** What it is for, where its library says: a part for a kind of uplink counts only at sites that have it. */
	readonly purpose: PurposeId | null;
}

/** One revision of a profile with all that it is made of. */
export interface Revision {
	readonly id: string;
	readonly profileId: string;
	readonly profileName: string;
	readonly roleId: string;
	readonly number: number;
	readonly state: 'draft' | 'released';
	readonly parts: readonly UsedPart[];
	/** The profile's own text, after all parts. */
	readonly texts: Texts;
	readonly fields: readonly Field[];
	/** Firmware version by firmware line. */
	readonly targets: Readonly<Record<string, string>>;
	readonly scripts: Readonly<Partial<Record<Dialect, Scripts>>>;
	readonly files: readonly StoredFile[];
	readonly checks: readonly ProofCheck[];
	/** As stored: secrets are sealed. */
	readonly values: Values;
	readonly note: string;
	readonly edit: number;
	readonly editedBy: string;
	readonly editedById: string | null;
	readonly editedAt: Date;
	readonly releasedBy: string | null;
	readonly releasedAt: Date | null;
	readonly overrideReason: string | null;
}

/** Revisions of parts as a profile would use them, by their ids; those that are not there are left out. */
export async function partsByRevision(knex: Knex, ids: readonly string[]): Promise<Map<string, UsedPart>> {
	const parts = await knex('part_revision')
		.join('part', 'part.id', 'part_id')
		.whereIn('part_revision.id', [...ids])
		.select<UsedPart[]>('part.id as partId', 'part_revision.id as revisionId', 'part.name', 'number', 'state')
		.select('texts', 'fields', 'purpose');
	return new Map(parts.map((part) => [part.revisionId, part]));
}

const MOST_KEPT = 200;
/** Released revisions never change: a process that has read one need not read it again. */
const released = new Map<string, Revision>();

/** Revisions by id; those that are not there are left out. */
export async function revisionsById(knex: Knex, ids: readonly string[]): Promise<Map<string, Revision>> {
	const found = new Map<string, Revision>();
	const wanted: string[] = [];
	for (const id of new Set(ids)) {
		const known = released.get(id);
		if (known) found.set(id, known);
		else wanted.push(id);
	}
	if (wanted.length === 0) return found;
	const { rows } = await knex.raw(
		`select revision.id, revision.profile_id as "profileId", profile.name as "profileName", profile.role_id as "roleId",
			revision.number, revision.state, revision.texts, revision.fields, revision.targets, revision.scripts, revision.files, revision.checks, revision.values,
			revision.note, revision.edit, revision.edited_by as "editedBy", revision.edited_by_id as "editedById", revision.edited_at as "editedAt",
			revision.released_by as "releasedBy", revision.released_at as "releasedAt", revision.override_reason as "overrideReason",
			coalesce((
				select jsonb_agg(jsonb_build_object('partId', part.id, 'revisionId', p.id, 'name', part.name, 'number', p.number,
					'state', p.state, 'texts', p.texts, 'fields', p.fields, 'purpose', part.purpose) order by ordinal)
				from profile_part join part_revision p on p.id = part_revision_id join part on part.id = p.part_id
				where revision_id = revision.id
			), '[]') as parts
		from profile_revision revision join profile on profile.id = revision.profile_id
		where revision.id = any(?::uuid[])`,
		[wanted]
	);
	for (const row of rows as Revision[]) {
		found.set(row.id, row);
		if (row.state !== 'released') continue;
		if (released.size >= MOST_KEPT) released.delete(released.keys().next().value!);
		released.set(row.id, row);
	}
	return found;
}

const OWN_TEXT = 'The profile’s own text';

const composed = new WeakMap<Revision, Map<Dialect, readonly Piece[]>>();

/** What a revision is composed of in one dialect. A part without a text there has none. */
export function piecesOf(revision: Revision, dialect: Dialect): readonly Piece[] {
	let byDialect = composed.get(revision);
	if (!byDialect) composed.set(revision, (byDialect = new Map()));
	let pieces = byDialect.get(dialect);
	if (!pieces) byDialect.set(dialect, (pieces = compose(revision, dialect)));
	return pieces;
}

function compose({ id, parts, texts, fields }: Revision, dialect: Dialect): readonly Piece[] {
	const pieces = parts.map((part) => ({
		id: part.revisionId,
		name: part.name,
		text: part.texts[dialect] ?? '',
		fields: part.fields
	}));
	const own = texts[dialect];
	return own || fields.length > 0 ? [...pieces, { id, name: OWN_TEXT, text: own ?? '', fields }] : pieces;
}

/** All fields that a revision asks for, each once. */
export const fieldsOfRevision = ({ parts, fields }: Pick<Revision, 'parts' | 'fields'>): readonly Field[] => [
	...new Map(
		[...parts.flatMap((part) => part.fields), ...fields].map((field) => [field.name, field])
	).values()
];

/** Whether a value must not be shown: its field says so, or, where nothing declares it, its name. */
export function secretsAmong(fields: readonly Field[]): (name: string) => boolean {
	const types = new Map(fields.map(({ name, type }) => [name, type]));
	return (name) => {
		const type = types.get(name);
		return type ? isSecretType(type) : isSecretName(name);
	};
}

/** Every name that any part or profile calls a secret: what is sealed before it is stored. */
export async function secretNames(knex: Knex): Promise<ReadonlySet<string>> {
	const { rows } = await knex.raw(
		`select distinct field->>'name' as name from (
			select jsonb_array_elements(fields) as field from part_revision union all select jsonb_array_elements(fields) from profile_revision
		) declared where field->'type'->>'kind' = 'secret'`
	);
	return new Set((rows as { name: string }[]).map(({ name }) => name));
}
