import type { Knex } from 'knex';
import {
	isSecretType,
	MASK,
	resolveFields,
	writeValue,
	type Field,
	type Value
} from '../../../../core/profile';
import { database } from '../../database';
import {
	fieldsOfRevision,
	knownTo,
	renderingSources,
	revisionsById,
	type RenderingSource
} from '../../profile';

/** The value sheet: positions by fields, where values are prepared before any hardware is known. */
export const SHEET_TARGETS = ['customer', 'site', 'position'] as const;
export type SheetTarget = (typeof SHEET_TARGETS)[number];

export interface SheetColumn {
	readonly field: Field;
	/** Where a cell of it is stored. */
	readonly target: SheetTarget;
	readonly secret: boolean;
	/** Only the draft of the profile asks for it: its values can be there before it is released. */
	readonly isNew: boolean;
}
export interface SheetRow {
	readonly positionId: string;
	readonly position: string;
	readonly siteId: string;
	readonly site: string;
	readonly customerId: string;
	readonly customer: string;
	/** What is given at the column's own place, as people type it; empty when nothing is. */
	readonly cells: readonly string[];
	/** What counts instead where nothing is given: from a wider scope, a formula, or the part itself. */
	readonly instead: readonly string[];
	/** Where something is given: from what it differs, or what counts instead of it; else empty. */
	readonly differs: readonly string[];
}
export interface SheetChoice {
	readonly profileId: string;
	readonly customerId: string | null;
	/** Whose configurations may be read; null for everybody's. */
	readonly customers?: readonly string[] | null;
	readonly positionId?: string | null;
	/** Only sites and positions whose names hold this. */
	readonly match?: string | null;
	/** Also fields that people are expected to give for the customer or in the profile. */
	readonly all?: boolean;
	/** Where all cells are given; else each where it is expected. */
	readonly at?: SheetTarget | null;
	/** With the fields that only the draft of the profile asks for, which come first. */
	readonly draft?: boolean;
}

/** The columns of a profile's sheet: the fields of what is released, or of the first draft. */
export async function sheetColumns(
	{
		profileId,
		all = false,
		at = null,
		draft = false
	}: Pick<SheetChoice, 'profileId' | 'all' | 'at' | 'draft'>,
	knex: Knex = database()
): Promise<readonly SheetColumn[]> {
	const rows: { id: string; isReleased: boolean }[] = await knex('profile_revision')
		.join('profile', 'profile.id', 'profile_id')
		.where({ profile_id: profileId })
		.where((where) =>
			where.whereRaw(`profile_revision.id = released_revision_id or profile_revision.state = 'draft'`)
		)
		.select('profile_revision.id', knex.raw('profile_revision.id = released_revision_id as "isReleased"'));
	const revisions = await revisionsById(
		knex,
		rows.map(({ id }) => id)
	);
	const fieldsOf = (row: { readonly id: string } | undefined) =>
		row ? fieldsOfRevision(revisions.get(row.id)!) : [];
	const [released, drafted] = [
		rows.find(({ isReleased }) => isReleased),
		rows.find(({ isReleased }) => !isReleased)
	];
	if (!released) return columnsOf(fieldsOf(drafted), all, at);
	const present = fieldsOf(released);
	const coming = draft
		? fieldsOf(drafted).filter(({ name }) => !present.some((one) => one.name === name))
		: [];
	return [...columnsOf(coming, all, at, true), ...columnsOf(present, all, at)];
}

const columnsOf = (
	fields: readonly Field[],
	all: boolean,
	at: SheetTarget | null,
	isNew = false
): readonly SheetColumn[] =>
	fields
		.filter(({ scope }) => all || scope === 'site' || scope === 'position' || scope === at)
		.map((field) => ({ field, target: at ?? expectedAt(field), secret: isSecretType(field.type), isNew }));

/** What is expected in the profile is given there; on the sheet a position may differ from it. */
const expectedAt = ({ scope }: Field): SheetTarget => (scope === 'profile' ? 'position' : scope);

const choose = ({ profileId, customerId, customers, positionId, match }: SheetChoice) => {
	const query = database()('position')
		.join('site', 'site.id', 'site_id')
		.join('customer', 'customer.id', 'position.customer_id')
		.where('profile_id', profileId);
	if (customerId) query.where('position.customer_id', customerId);
	if (customers) query.whereIn('position.customer_id', customers);
	if (positionId) query.where('position.id', positionId);
	if (match) query.whereRaw("strpos(lower(site.name || ' ' || position.name), lower(?)) > 0", [match]);
	return query;
};

export const sheetSize = async (choice: SheetChoice): Promise<number> =>
	Number((await choose(choice).count())[0]!.count);

/** Rows of the sheet, in the order of customer, site and position. */
export async function sheetRows(choice: SheetChoice, offset: number, limit: number): Promise<SheetRow[]> {
	const columns = await sheetColumns(choice);
	const ids: string[] = await choose(choice)
		.orderBy(['customer.name', 'site.name', 'position.name', 'position.id'])
		.offset(offset)
		.limit(limit)
		.pluck('position.id');
	const sources = await renderingSources(database(), ids);
	return ids.flatMap((id) => {
		const source = sources.get(id);
		return source ? [rowOf(source, columns)] : [];
	});
}

function rowOf(source: RenderingSource, columns: readonly SheetColumn[]): SheetRow {
	const fields = source.revision
		? [...fieldsOfRevision(source.revision), ...columns.flatMap(({ field, isNew }) => (isNew ? [field] : []))]
		: columns.map(({ field }) => field);
	// A part for another kind of uplink asks for nothing at this site
	const applies = new Set(fields.map(({ name }) => name));
	const { values } = resolveFields(fields, source.scoped, knownTo(source));
	const shown = ({ secret }: SheetColumn, value: Value) => (secret ? MASK : writeValue(value));
	return {
		positionId: source.positionId,
		position: source.positionName,
		siteId: source.siteId,
		site: source.siteName,
		customerId: source.customerId,
		customer: source.customerName,
		cells: columns.map((column) => {
			const own = source.scoped[column.target]?.[column.field.name];
			return own === undefined ? '' : shown(column, own);
		}),
		instead: columns.map((column) => {
			if (source.scoped[column.target]?.[column.field.name] !== undefined) return '';
			const resolved = values.get(column.field.name);
			if (resolved) return shown(column, resolved.value);
			return applies.has(column.field.name) ? '' : 'not needed';
		}),
		differs: columns.map((column) => {
			const resolved = values.get(column.field.name);
			if (!resolved || source.scoped[column.target]?.[column.field.name] === undefined) return '';
			if (resolved.source !== column.target)
				return `The ${resolved.source} gives ${shown(column, resolved.value)}, and that counts.`;
			const wider = resolved.instead.at(-1);
			return wider
				? `Differs from the ${wider.scope}’s ${shown(column, wider.value as Value)}; clear it to follow that.`
				: '';
		})
	};
}
