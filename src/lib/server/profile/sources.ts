import type { Knex } from 'knex';
import { NO_RULES, type Dialect, type DialectRules, type Grammar } from '../../../core/config';
import type { FirmwareVersion } from '../../../core/firmware';
import { imagesByLine, type StoredImage } from '../firmware';
import type { TunnelEnd } from '../../../core/plan';
import {
	partsAtUplink,
	type Known,
	type OwnText,
	type ScopedValues,
	type UplinkKind,
	type Values
} from '../../../core/profile';
import { callHomeKey } from '../keys';
import { currentSettings } from '../settings';
import { fileAddresses, type StoredFile } from './files';
import { revisionsById, type Revision } from './revisions/revisions';
import { opened } from './opened';
import { openedOwn } from './own-text';
import { tunnelsAt } from './tunnels';

/** The model that a rendering is for. */
export interface RenderingModel {
	readonly id: string;
	readonly name: string;
	readonly dialect: Dialect;
	readonly ports: Readonly<Record<string, string>>;
	readonly firmwareLine: string;
	/** What is its maker's own in its dialect. */
	readonly rules: DialectRules;
	readonly grammar: Grammar | null;
	/** Of its firmware, oldest first. */
	readonly versions: readonly FirmwareVersion[];
	/** How large an image it has room for, in bytes. */
	readonly room: number | null;
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
	readonly uplink: SiteUplink;
	readonly profileId: string;
	readonly profileName: string;
	/** As it counts at this site: without the parts for another kind of uplink. */
	readonly revision: Revision | null;
	/** Why none of its parts for uplinks fits the site’s. */
	readonly uplinkGap: string | null;
	/** Of the bound unit, or the first that the profile serves when nothing is bound. */
	readonly model: RenderingModel | null;
	readonly isBound: boolean;
	readonly scoped: ScopedValues;
	/** As texts see them, in order of name. */
	readonly tunnels: readonly TunnelEnd[];
	readonly targetVersion: string | null;
	/** The images of its firmware line that are there, by version. */
	readonly images: ReadonlyMap<string, StoredImage>;
	/** Why somebody let it be bound though it would strand the unit. */
	/** What the position has of its own beside its profile. */
	readonly own: OwnText | null;
	readonly overrideReason: string | null;
	/** Another key of Limen's than the one that units are given now. */
	readonly publicKey?: string;
}

/** How the site reaches the network, with what its provider said of it. */
interface SiteUplink {
	readonly kind: UplinkKind;
	readonly provider: string;
	readonly circuit: string;
	readonly sim: string;
	readonly apn: string;
}

type Targets = Readonly<Record<string, string>>;
interface SourceRow {
	readonly position_id: string;
	readonly revision_id: string | null;
	readonly model_id: string | null;
	readonly customer_values: Values;
	readonly site_values: Values;
	readonly position_values: Values;
	readonly uplink: SiteUplink;
	readonly [column: string]: unknown;
}

export interface SourceChoice {
	/** Another revision than the released one, by the profile's id. */
	readonly revisions?: ReadonlyMap<string, string>;
	/** Another model than the one that is bound. */
	readonly modelId?: string | null;
	/** A revision that is being written, by the profile's id: it counts before any other. */
	readonly written?: ReadonlyMap<string, Revision>;
}

/** Reads the sources for many positions at once; a position without a released revision has none. */
export async function renderingSources(
	knex: Knex,
	positionIds: readonly string[],
	{ revisions: instead, modelId = null, written }: SourceChoice = {}
): Promise<Map<string, RenderingSource>> {
	const { rows } = await knex.raw(
		`select position.id as position_id, position.customer_id, position.site_id, position.name as position_name,
			position.role_id, customer.name as customer_name, site.name as site_name, site.time_zone,
			jsonb_build_object('kind', site.uplink, 'provider', provider, 'circuit', circuit, 'sim', sim, 'apn', apn) as uplink,
			profile.id as profile_id, profile.name as profile_name, profile.released_revision_id as revision_id,
			unit.model_id, binding.override_reason, customer.values as customer_values, site.values as site_values,
			position.values as position_values, position.own_text, targets_at(position.customer_id, position.site_id, position.id) as targets
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
	const images = await imagesByLine(knex);
	const tunnelsOf = await tunnelsAt(knex, positionIds);
	return new Map(
		all.map((row) => {
			const { revision, gap } = atUplink(
				written?.get(row.profile_id as string) ?? revisions.get(chosen(row) ?? '') ?? null,
				row.uplink.kind
			);
			const own = modelId ?? row.model_id;
			const model = own === null ? firstServed(revision, row.role_id as string, models) : models.get(own);
			return [
				row.position_id,
				sourceOf(row, revision, gap, model ?? null, images, tunnelsOf(row.position_id))
			];
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
		`select model.id, model.name, model.dialect, ports, firmware_line as "firmwareLine", dialect_rules as rules, document as grammar, versions, room::float8 as room,
			array(select role_id from model_role where model_id = model.id) as roles
		from model left join grammar on grammar.id = grammar_id order by model.name`
	);
	const models: Models = new Map(
		(rows as (RenderingModel & { roles: string[] })[]).map((model) => [
			model.id,
			{ ...model, rules: { ...NO_RULES, ...model.rules } }
		])
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

type Images = Awaited<ReturnType<typeof imagesByLine>>;
const NO_IMAGES: ReadonlyMap<string, StoredImage> = new Map();

function atUplink(
	revision: Revision | null,
	kind: UplinkKind
): { readonly revision: Revision | null; readonly gap: string | null } {
	if (!revision) return { revision, gap: null };
	const { parts, gap } = partsAtUplink(revision.parts, kind);
	return { revision: parts.length === revision.parts.length ? revision : { ...revision, parts }, gap };
}

function sourceOf(
	row: SourceRow,
	revision: Revision | null,
	uplinkGap: string | null,
	model: RenderingModel | null,
	images: Images,
	tunnels: readonly TunnelEnd[]
): RenderingSource {
	const line = model?.firmwareLine ?? '';
	const targetVersion = (row.targets as Targets | null)?.[line] ?? revision?.targets[line] ?? null;
	return {
		positionId: row.position_id,
		customerId: row.customer_id as string,
		siteId: row.site_id as string,
		roleId: row.role_id as string,
		positionName: row.position_name as string,
		customerName: row.customer_name as string,
		siteName: row.site_name as string,
		timeZone: row.time_zone as string,
		uplink: row.uplink,
		profileId: row.profile_id as string,
		profileName: row.profile_name as string,
		revision,
		uplinkGap,
		model,
		isBound: row.model_id !== null,
		scoped: {
			profile: opened(revision?.values ?? {}),
			customer: opened(row.customer_values),
			site: opened(row.site_values),
			position: opened(row.position_values)
		},
		tunnels,
		targetVersion,
		images: images.get(line) ?? NO_IMAGES,
		own: openedOwn(row.own_text as string | null),
		overrideReason: (row.override_reason as string | null) ?? revision?.overrideReason ?? null
	};
}

const NO_FILES: readonly StoredFile[] = [];

const known = new WeakMap<RenderingSource, Known>();

/** What Limen itself knows, offered to every text. */
export function knownTo(source: RenderingSource): Known {
	let found = known.get(source);
	if (!found) known.set(source, (found = gather(source)));
	return found;
}

/** What is Limen’s own in what units are given. */
export function limenKnown(publicKey = callHomeKey().public): Known[string] {
	const settings = currentSettings();
	return {
		call_home_host: settings.LIMEN_CALL_HOME_HOST,
		call_home_port: settings.LIMEN_CALL_HOME_PORT,
		netconf_port: settings.LIMEN_NETCONF_PORT,
		public_key: publicKey
	};
}

function gather(source: RenderingSource): Known {
	return {
		customer: { name: source.customerName },
		site: { name: source.siteName, time_zone: source.timeZone, ...uplinkKnown(source.uplink) },
		position: { name: source.positionName, tunnels: source.tunnels },
		port: { ...source.model?.ports },
		file: fileAddresses(source.revision?.files ?? NO_FILES),
		limen: limenKnown(source.publicKey)
	};
}

/** What is not known of an uplink has no value, so that a text that needs it says so. */
const uplinkKnown = ({ kind, ...facts }: SiteUplink): Record<string, string> => ({
	uplink: kind,
	...Object.fromEntries(Object.entries(facts).filter(([, value]) => value !== ''))
});

/** The same under the names that a grammar's paths use. */
export const pathNames = (source: RenderingSource): Record<string, string | number> =>
	Object.fromEntries(
		Object.entries(knownTo(source)).flatMap(([group, names]) =>
			Object.entries(names).flatMap(([name, value]) =>
				typeof value === 'object' ? [] : [[`${group}.${name}`, value] as const]
			)
		)
	);
