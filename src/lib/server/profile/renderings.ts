import type { Knex } from 'knex';
import { rejectedLines, type Dialect, type Grammar } from '../../../core/config';
import {
	changesUplink,
	fieldsOfPieces,
	isFactoryPassword,
	maskSecrets,
	openingsIn,
	NOTHING_BESIDE,
	renderBeside,
	renderWhole,
	resolveFields,
	secretsOf,
	strandingOf,
	strandingWords,
	withoutSecrets,
	type Beside,
	type Piece,
	type RenderProblem,
	type RenderResult,
	type ScopedValues,
	type Secrets,
	type Values
} from '../../../core/profile';
import { callHomeKey, unseal } from '../keys';
import { currentSettings, publicUrl } from '../settings';
import { GivenUp, offMainThread, task } from '../threads';
import { fileAddresses, type StoredFile } from './files';
import { fieldsOfRevision, piecesOf, revisionsById, type Revision } from './revisions';

/** The model that a rendering is for. */
export interface RenderingModel {
	readonly id: string;
	readonly name: string;
	readonly dialect: Dialect;
	readonly ports: Readonly<Record<string, string>>;
	readonly firmwareLine: string;
	/** Heads of the blocks whose order matters. */
	readonly orderedHeads: readonly string[];
	readonly grammar: Grammar | null;
}

/** All that a position's rendering is computed from. */
export interface RenderingSource {
	readonly positionId: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly roleId: string;
	readonly positionName: string;
	readonly customerName: string;
	readonly siteName: string;
	readonly timeZone: string;
	readonly profileId: string;
	readonly profileName: string;
	readonly revision: Revision | null;
	/** Of the bound unit, or the first that the profile serves when nothing is bound. */
	readonly model: RenderingModel | null;
	readonly isBound: boolean;
	readonly scoped: ScopedValues;
	readonly targetVersion: string | null;
	readonly image: { readonly line: string; readonly version: string; readonly sha256: Buffer } | null;
	/** Why somebody let it be bound though it would strand the unit. */
	readonly overrideReason: string | null;
}

interface SourceRow {
	readonly position_id: string;
	readonly revision_id: string | null;
	readonly model_id: string | null;
	readonly customer_values: Values;
	readonly site_values: Values;
	readonly position_values: Values;
	readonly image_line: string | null;
	readonly image_sha256: Buffer | null;
	readonly [column: string]: unknown;
}

export interface SourceChoice {
	/** Another revision than the released one, by the profile's id. */
	readonly revisions?: ReadonlyMap<string, string>;
	/** Another model than the one that is bound. */
	readonly modelId?: string | null;
}

/** Reads the sources for many positions at once; a position without a released revision has none. */
export async function renderingSources(
	knex: Knex,
	positionIds: readonly string[],
	{ revisions: instead, modelId = null }: SourceChoice = {}
): Promise<Map<string, RenderingSource>> {
	const { rows } = await knex.raw(
		`select position.id as position_id, position.customer_id, position.site_id, position.name as position_name,
			position.role_id, customer.name as customer_name, site.name as site_name, site.time_zone,
			profile.id as profile_id, profile.name as profile_name, profile.released_revision_id as revision_id,
			unit.model_id, binding.override_reason, customer.values as customer_values, site.values as site_values,
			position.values as position_values
		from position
		join site on site.id = position.site_id
		join customer on customer.id = position.customer_id
		join profile on profile.id = position.profile_id
		left join binding on binding.position_id = position.id
		left join unit on unit.id = binding.unit_id
		where position.id = any(?::uuid[])`,
		[[...positionIds]]
	);
	const chosen = (row: SourceRow) => instead?.get(row.profile_id as string) ?? row.revision_id;
	const all = rows as SourceRow[];
	const [revisions, models] = await Promise.all([
		revisionsById(
			knex,
			all.flatMap((row) => chosen(row) ?? [])
		),
		renderingModels(knex)
	]);
	const images = await imagesFor(knex, [...revisions.values()]);
	return new Map(
		all.map((row) => {
			const revision = revisions.get(chosen(row) ?? '') ?? null;
			const own = modelId ?? row.model_id;
			const model = own === null ? firstServed(revision, row.role_id as string, models) : models.get(own);
			return [row.position_id, sourceOf(row, revision, model ?? null, images)];
		})
	);
}

type Models = ReadonlyMap<string, RenderingModel & { readonly roles: readonly string[] }>;

let kept: { readonly state: string; readonly models: Models } | null = null;

/** Every model with its grammar; read again when a row of either was written since. */
export async function renderingModels(knex: Knex): Promise<Models> {
	// A row's xmin is the transaction that wrote it: any change of any row changes the text
	const { rows: written } = await knex.raw(
		`select concat((select string_agg(xmin::text, ',' order by id) from model), ' ',
			(select string_agg(xmin::text, ',' order by id) from grammar), ' ', (select string_agg(xmin::text, ',' order by model_id, role_id) from model_role)) as state`
	);
	const { state } = written[0] as { state: string };
	if (kept?.state === state) return kept.models;
	const { rows } = await knex.raw(
		`select model.id, model.name, model.dialect, ports, firmware_line as "firmwareLine", ordered_heads as "orderedHeads", document as grammar,
			array(select role_id from model_role where model_id = model.id) as roles
		from model left join grammar on grammar.id = grammar_id order by model.name`
	);
	const models: Models = new Map(
		(rows as (RenderingModel & { roles: string[] })[]).map((model) => [model.id, model])
	);
	kept = { state, models };
	return models;
}

const firstServed = (revision: Revision | null, role: string, models: Models): RenderingModel | undefined =>
	[...models.values()].find(
		({ roles, dialect }) =>
			roles.includes(role) &&
			(revision === null || revision.parts.every(({ texts }) => texts[dialect] !== undefined))
	);

type Images = ReadonlyMap<string, Buffer>;

async function imagesFor(knex: Knex, revisions: readonly Revision[]): Promise<Images> {
	const wanted = revisions.flatMap(({ targets }) => Object.entries(targets));
	if (wanted.length === 0) return new Map();
	const rows = await knex('image')
		.whereIn(['firmware_line', 'version'], wanted)
		.select('firmware_line', 'version', 'sha256');
	return new Map(rows.map((row) => [`${row.firmware_line} ${row.version}`, row.sha256 as Buffer]));
}

function sourceOf(
	row: SourceRow,
	revision: Revision | null,
	model: RenderingModel | null,
	images: Images
): RenderingSource {
	const line = model?.firmwareLine ?? '';
	const targetVersion = revision?.targets[line] ?? null;
	const sha256 = images.get(`${line} ${targetVersion}`);
	return {
		positionId: row.position_id,
		customerId: row.customer_id as string,
		siteId: row.site_id as string,
		roleId: row.role_id as string,
		positionName: row.position_name as string,
		customerName: row.customer_name as string,
		siteName: row.site_name as string,
		timeZone: row.time_zone as string,
		profileId: row.profile_id as string,
		profileName: row.profile_name as string,
		revision,
		model,
		isBound: row.model_id !== null,
		scoped: {
			profile: opened(revision?.values ?? {}),
			customer: opened(row.customer_values),
			site: opened(row.site_values),
			position: opened(row.position_values)
		},
		targetVersion,
		image: sha256 && targetVersion !== null ? { line, version: targetVersion, sha256 } : null,
		overrideReason: (row.override_reason as string | null) ?? revision?.overrideReason ?? null
	};
}

export const opened = (values: Values): Values =>
	Object.fromEntries(
		Object.entries(values).map(([name, value]) => [name, typeof value === 'string' ? unseal(value) : value])
	);

/** A text that was made for a position, as people may see it: every secret of the position is masked wherever it stands. */
export const maskedText = (source: RenderingSource, text: string, secrets = secretsAt(source)): string =>
	withoutSecrets(maskSecrets(text), secrets);

/** What must not be shown of a position's rendering. */
export function secretsAt(source: RenderingSource, values: RenderResult['values'] = new Map()): Secrets {
	const { revision, scoped } = source;
	const given = Object.values(scoped).flatMap((some) => Object.entries(some ?? {}));
	return secretsOf(revision ? fieldsOfRevision(revision) : [], given, values);
}

/** A rendering with what goes with it. */
export type PositionRendering =
	(Extract<RenderResult, { ok: true }> & { readonly beside: Beside }) | Extract<RenderResult, { ok: false }>;

const refused = (message: string, source: RenderingSource): PositionRendering => ({
	ok: false,
	problems: [
		{ kind: 'broken', message, piece: null, line: null, column: null, field: null, scope: null, at: null }
	],
	values: source.revision ? valuesOf(source) : new Map()
});

const valuesOf = (source: RenderingSource) =>
	resolveFields(fieldsOfRevision(source.revision!), source.scoped, knownTo(source)).values;

/** The same, worked beside the main thread: a text that somebody is writing can take as long as it likes. */
export async function renderApart(source: RenderingSource): Promise<PositionRendering> {
	try {
		return await offMainThread(RENDER_ONE, source, LONGEST_APART_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return refused(
			'This takes too long to compute, or too much memory. Look for loops that go round too often.',
			source
		);
	}
}
const LONGEST_APART_MS = 8_000;
const RENDER_ONE = task<RenderingSource, PositionRendering>('renderPosition');
const RENDER_MANY = task<readonly RenderingSource[], readonly PositionRendering[]>('renderPositions');

/** The same for many: what they share is handed over once. One that takes too long fails alone. */
export async function renderManyApart(
	sources: readonly RenderingSource[]
): Promise<readonly PositionRendering[]> {
	try {
		return await offMainThread(RENDER_MANY, sources, LONGEST_APART_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return Promise.all(sources.map(renderApart));
	}
}

/**
 * Computes what a position's unit will get. Refuses a rendering that is no text of its dialect, that has a
 * line which the model does not understand, or whose scripts or checks lack something.
 */
export function renderPosition(source: RenderingSource): PositionRendering {
	const { revision, model } = source;
	if (!revision) return refused(`The profile “${source.profileName}” has no released revision.`, source);
	if (!model) return refused(`The profile “${source.profileName}” serves no model yet.`, source);
	const pieces = piecesOf(revision, model.dialect);
	const gap = revision.parts.find(({ texts }) => texts[model.dialect] === undefined);
	if (gap)
		return refused(`“${gap.name}” has no text for a ${model.name} (${model.dialect} dialect).`, source);
	const result = renderWhole({
		dialect: model.dialect,
		pieces,
		scoped: source.scoped,
		known: knownTo(source)
	});
	if (!result.ok) return result;
	const rejected = rejectedAt(model, result, pieces);
	if (rejected.length > 0) return { ok: false, values: result.values, problems: rejected };
	const scripts = revision.scripts[model.dialect];
	if (!scripts && revision.checks.length === 0) return { ...result, beside: NOTHING_BESIDE };
	const beside = renderBeside(model.dialect, { scripts: scripts ?? {}, checks: revision.checks }, result);
	return beside.ok
		? { ...result, beside: beside.beside }
		: { ok: false, values: result.values, problems: beside.problems };
}

function rejectedAt(
	{ name, grammar }: RenderingModel,
	result: Extract<RenderResult, { ok: true }>,
	pieces: readonly Piece[]
): readonly RenderProblem[] {
	return (grammar ? rejectedLines(result.tree, grammar) : []).map(({ line, message }) => {
		const from = result.lines[line - 1];
		return {
			kind: 'rejected',
			message: `${name}: ${message}`,
			piece: from?.piece == null ? null : pieces[from.piece]!.name,
			line: from?.sources[0] ?? null,
			column: null,
			field: from?.fields[0] ?? null,
			scope: null,
			at: line
		};
	});
}

/** Why a unit with this rendering could not be reached any more; empty when it could. */
export function strandingAt(source: RenderingSource, result: RenderResult): readonly string[] {
	const grammar = source.model?.grammar;
	return result.ok && grammar ? strandingWords(strandingOf(result.tree, grammar, pathNames(source))) : [];
}

/** Whether two renderings configure the uplink differently: what is changed there can cut a unit off. */
export function touchesUplink(source: RenderingSource, before: RenderResult, after: RenderResult): boolean {
	const grammar = source.model?.grammar;
	return (
		before.ok && after.ok && !!grammar && changesUplink(before.tree, after.tree, grammar, pathNames(source))
	);
}

/** What a careful reader would say of one rendering, beside what stops it. */
export function risksAt(source: RenderingSource, result: RenderResult): readonly string[] {
	if (!result.ok || !source.revision) return [];
	const grammar = source.model?.grammar;
	const risks = grammar ? openingsIn(result.tree, grammar, pathNames(source)) : [];
	const { fields } = fieldsOfPieces(source.revision.parts);
	return [
		...risks.map(({ line, message }) => `Line ${line}: ${message}`),
		...fields
			.filter((field) => isFactoryPassword(field, String(result.values.get(field.name)?.value ?? '')))
			.map(({ name }) => `“${name}” is a password that everybody knows.`)
	];
}

const NO_FILES: readonly StoredFile[] = [];

type Known = Readonly<Record<string, Readonly<Record<string, string | number>>>>;
const known = new WeakMap<RenderingSource, Known>();

/** What Limen itself knows, offered to every text. */
export function knownTo(source: RenderingSource): Known {
	let found = known.get(source);
	if (!found) known.set(source, (found = gather(source)));
	return found;
}

function gather(source: RenderingSource): Known {
	const settings = currentSettings();
	return {
		customer: { name: source.customerName },
		site: { name: source.siteName, time_zone: source.timeZone },
		position: { name: source.positionName },
		port: { ...source.model?.ports },
		file: fileAddresses(source.revision?.files ?? NO_FILES),
		limen: {
			call_home_host: settings.LIMEN_CALL_HOME_HOST,
			call_home_port: settings.LIMEN_CALL_HOME_PORT,
			public_key: callHomeKey().public
		}
	};
}

/** The same under the names that a grammar's paths use. */
export const pathNames = (source: RenderingSource): Record<string, string | number> =>
	Object.fromEntries(
		Object.entries(knownTo(source)).flatMap(([group, names]) =>
			Object.entries(names).map(([name, value]) => [`${group}.${name}`, value])
		)
	);

/** The pieces of a source's rendering, for naming where lines come from. */
export const piecesAt = ({ revision, model }: RenderingSource): readonly Piece[] =>
	revision && model ? piecesOf(revision, model.dialect) : [];

/** Where a unit downloads its image. */
export const imageUrl = (line: string, version: string): string =>
	`${publicUrl(currentSettings())}/images/${encodeURIComponent(line)}/${encodeURIComponent(version)}`;
