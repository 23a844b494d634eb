import type { Knex } from 'knex';
import { parseConfig, type Dialect } from '../../../core/config';
import {
	explainValues,
	isSecretName,
	MASK,
	maskSecrets,
	render,
	type RenderProblem,
	type ResolvedValue,
	type ScopedValues,
	type Values
} from '../../../core/profile';
import { callHomeKey, open } from '../keys';
import { currentSettings, publicUrl } from '../settings';

/** All that a position's rendering is computed from. */
export interface RenderingSource {
	readonly positionId: string;
	readonly customerId: string;
	readonly positionName: string;
	readonly customerName: string;
	readonly siteName: string;
	readonly timeZone: string;
	readonly profileName: string;
	readonly revisionId: string | null;
	readonly revisionNumber: number | null;
	readonly text: string | null;
	readonly targetVersion: string | null;
	readonly preScript: string | null;
	readonly postScript: string | null;
	readonly dialect: Dialect;
	/** Of the bound unit's model, or of the only model that suits when nothing is bound. */
	readonly ports: Readonly<Record<string, string>> | null;
	readonly scoped: ScopedValues;
	readonly image: { readonly line: string; readonly version: string; readonly sha256: Buffer } | null;
}

interface SourceRow {
	profile_values: Values | null;
	customer_values: Values;
	site_values: Values;
	position_values: Values;
	image_line: string | null;
	image_sha256: Buffer | null;
	[column: string]: unknown;
}

/** Reads the sources for many positions in one query; a position without a released revision has no text. */
export async function renderingSources(
	knex: Knex,
	positionIds: readonly string[]
): Promise<Map<string, RenderingSource>> {
	const { rows } = await knex.raw(
		`select position.id as position_id, position.customer_id, position.name as position_name, position.dialect,
			customer.name as customer_name, site.name as site_name, site.time_zone, profile.name as profile_name,
			revision.id as revision_id, revision.number as revision_number, revision.text, revision.target_version,
			revision.pre_script, revision.post_script,
			coalesce(model.ports, suitable.ports) as ports,
			revision.values as profile_values, customer.values as customer_values, site.values as site_values,
			position.values as position_values, image.firmware_line as image_line, image.sha256 as image_sha256
		from position
		join site on site.id = position.site_id
		join customer on customer.id = position.customer_id
		join profile on profile.id = position.profile_id
		left join profile_revision revision on revision.id = profile.released_revision_id
		left join binding on binding.position_id = position.id
		left join unit on unit.id = binding.unit_id
		left join model on model.id = unit.model_id
		left join lateral (
			select min(m.ports::text)::jsonb as ports from model m
			where model.id is null and m.role_id = position.role_id and m.dialect = position.dialect
		) suitable on true
		left join image on image.firmware_line = model.firmware_line and image.version = revision.target_version
		where position.id = any(?::uuid[])`,
		[[...positionIds]]
	);
	return new Map((rows as SourceRow[]).map((row) => [row.position_id as string, sourceOf(row)]));
}

const sourceOf = (row: SourceRow): RenderingSource => ({
	positionId: row.position_id as string,
	customerId: row.customer_id as string,
	positionName: row.position_name as string,
	customerName: row.customer_name as string,
	siteName: row.site_name as string,
	timeZone: row.time_zone as string,
	profileName: row.profile_name as string,
	revisionId: row.revision_id as string | null,
	revisionNumber: row.revision_number as number | null,
	text: row.text as string | null,
	targetVersion: row.target_version as string | null,
	preScript: row.pre_script as string | null,
	postScript: row.post_script as string | null,
	dialect: row.dialect as Dialect,
	ports: row.ports as RenderingSource['ports'],
	scoped: {
		profile: opened(row.profile_values ?? {}),
		customer: opened(row.customer_values),
		site: opened(row.site_values),
		position: opened(row.position_values)
	},
	image: row.image_line
		? { line: row.image_line, version: row.target_version as string, sha256: row.image_sha256! }
		: null
});

const opened = (values: Values): Values =>
	Object.fromEntries(
		Object.entries(values).map(([name, value]) => [name, typeof value === 'string' ? open(value) : value])
	);

/** A rendering as people may see it: every secret value of the position is masked wherever it stands. */
export function maskedText(source: RenderingSource, text: string): string {
	const secrets = explainValues(source.scoped)
		.filter(({ name, value }) => isSecretName(name) && String(value).length > 0)
		.map(({ value }) => String(value));
	return secrets.reduce((masked, secret) => masked.replaceAll(secret, MASK), maskSecrets(text));
}

export type Rendering =
	| { readonly ok: true; readonly text: string }
	| { readonly ok: false; readonly problems: readonly RenderProblem[] };

/** Computes what a position's unit will get. Also refuses a rendering that is no text of its dialect. */
export function renderPosition(source: RenderingSource): Rendering {
	if (source.text === null)
		return refused(`The profile “${source.profileName}” has no released revision.`, null);
	const rendered = render({ text: source.text, scoped: source.scoped, known: knownTo(source) });
	if (!rendered.ok) return rendered;
	const parsed = parseConfig(rendered.text, source.dialect);
	if (parsed.ok) return rendered;
	const { line, message } = parsed.problems[0]!;
	return refused(`Line ${line} of the rendering: ${message}`, null);
}

const refused = (message: string, line: number | null): Rendering => ({
	ok: false,
	problems: [{ kind: 'broken', message, line, column: null, field: null }]
});

/** What Limen itself knows, offered to every profile text. */
function knownTo(source: RenderingSource): Record<string, Record<string, string | number>> {
	const settings = currentSettings();
	return {
		customer: { name: source.customerName },
		site: { name: source.siteName, time_zone: source.timeZone },
		position: { name: source.positionName },
		port: { ...source.ports },
		limen: {
			call_home_host: settings.LIMEN_CALL_HOME_HOST,
			call_home_port: settings.LIMEN_CALL_HOME_PORT,
			public_key: callHomeKey().public
		}
	};
}

/** Where a unit downloads its image. */
export const imageUrl = (line: string, version: string): string =>
	`${publicUrl(currentSettings())}/images/${encodeURIComponent(line)}/${encodeURIComponent(version)}`;

/** The values of a position with where each was given. */
export const explainedValues = (source: RenderingSource): ResolvedValue[] => explainValues(source.scoped);
