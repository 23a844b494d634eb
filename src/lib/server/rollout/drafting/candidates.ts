import type { Knex } from 'knex';
import { wayTo, type FirmwareVersion, type KnownImage } from '../../../../core/firmware';
import type { RolloutKind } from '../../../../core/rollout';
import { counted } from '../../../../core/text';
import type { Why } from '../../drift';
import { imagesByLine } from '../../firmware';

/** Which units a rollout is for. */
export type ForWhom =
	/** `areDue`: something was planned for them just now. */
	| { readonly units: readonly string[]; readonly areDue?: true }
	/** All of a firmware line. */
	| { readonly line: string; readonly customers: readonly string[] | null }
	/** All that are behind for one of these reasons, of one profile where it is named. */
	| {
			readonly behind: readonly Why[];
			readonly profileId: string | null;
			readonly customers: readonly string[] | null;
	  };
/** What a rollout of units that are chosen can do. */
export type DraftKind = Exclude<RolloutKind, 'restore' | 'secret'>;
export const MOST_UNITS = 50_000;

/** A unit as it becomes part of a rollout. */
export interface NewItem {
	readonly unit: string;
	readonly position: string;
	readonly site: string;
	readonly customer: string;
	readonly model: string;
	readonly front: boolean;
	/** What of it is changed: what it has, and what it gets; null where that is nothing that has a name. */
	readonly had: string;
	readonly gets: string | null;
	/** Which version of what it ran before it is brought back to. */
	readonly version: string | null;
	/** In seconds. */
	readonly takes: number;
}

/**
 * What a rollout of a kind comes to at units that are online. `wanted`: what all are to have (a version, a stance); null: each
 * what is due for it. `left`: in words, how many need nothing or cannot be done, and why.
 */
export async function itemsFor(
	knex: Knex,
	kind: DraftKind,
	whom: ForWhom,
	wanted: string | null
): Promise<{ readonly items: readonly NewItem[]; readonly left: string; readonly candidates: number }> {
	const candidates = await candidatesOf(knex, whom);
	const images = await imagesByLine(knex);
	const areDue = 'units' in whom && whom.areDue === true;
	const ways = new Map<string, Taken>();
	const left = new Map<string, number>();
	const items: NewItem[] = [];
	for (const one of candidates) {
		const gets = wanted ?? one.target;
		// Units of one model with one version have one way
		const key = JSON.stringify([one.modelId, one.version, one.stance, gets, one.why]);
		const how =
			ways.get(key) ??
			take(kind, areDue ? { ...one, why: ['values'] } : one, gets, images.get(one.line) ?? NO_IMAGES);
		ways.set(key, how);
		if (how.ok)
			items.push({
				unit: one.unitId,
				position: one.positionId,
				site: one.siteId,
				customer: one.customerId,
				model: one.modelId,
				front: one.isFront,
				had: kind === 'stance' ? (one.stance ?? '') : one.version,
				gets: how.gets,
				version: null,
				takes: (kind === 'firmware' && one.learnt ? one.learnt : USUAL_SECONDS[kind]) * how.steps
			});
		else left.set(how.why, (left.get(how.why) ?? 0) + 1);
	}
	return {
		items,
		left: [...left].map(([why, count]) => `${counted(count, 'unit')}: ${why}`).join(' '),
		candidates: candidates.length
	};
}

/** A unit that could be in a rollout. */
interface Candidate {
	readonly unitId: string;
	readonly customerId: string;
	readonly positionId: string;
	readonly siteId: string;
	readonly modelId: string;
	readonly version: string;
	readonly isFront: boolean;
	readonly versions: readonly FirmwareVersion[];
	readonly room: number | null;
	readonly line: string;
	readonly target: string | null;
	readonly why: readonly Why[];
	/** Its own; null: as stated further out. */
	readonly stance: string | null;
	/** Median of how long changes of its model's firmware took, in seconds; null when none is known. */
	readonly learnt: number | null;
}

/** What is taken of a unit into the plan, or why it is not. */
type Taken =
	| { readonly ok: true; readonly gets: string | null; readonly steps: number }
	| { readonly ok: false; readonly why: string };

/** In seconds, until there are some to learn from. */
const USUAL_SECONDS = { firmware: 300, due: 90, restart: 180, stance: 5 } as const satisfies Record<
	DraftKind,
	number
>;
const LEARNT_FROM = 5;
const NO_IMAGES: ReadonlyMap<string, KnownImage> = new Map();

function take(
	kind: DraftKind,
	{ version, versions, room, why, stance }: Candidate,
	gets: string | null,
	images: ReadonlyMap<string, KnownImage>
): Taken {
	const once = { ok: true, gets: null, steps: 1 } as const;
	if (kind === 'restart') return once;
	if (kind === 'stance')
		return gets === null || gets === (stance ?? '')
			? { ok: false, why: 'that is stated for it already.' }
			: { ...once, gets };
	if (kind === 'due')
		return why.includes('revision') || why.includes('values')
			? once
			: { ok: false, why: 'it runs what is due.' };
	if (gets === null) return { ok: false, why: 'its profile wants no firmware.' };
	const way = wayTo(versions, images, room, version, gets);
	if (!way.ok) return way;
	if (way.path.length === 0) return { ok: false, why: `it runs ${gets} already.` };
	return { ok: true, gets, steps: way.path.length };
}

/** Those that are online. */
async function candidatesOf(knex: Knex, whom: ForWhom): Promise<Candidate[]> {
	const ofCustomers = `(:customers::uuid[] is null or binding.customer_id = any (:customers::uuid[]))`;
	const [which, values] =
		'units' in whom
			? (['unit.id = any (:units::uuid[])', { units: [...whom.units] }] as const)
			: 'line' in whom
				? ([
						`model.firmware_line = :line and ${ofCustomers}`,
						{ line: whom.line, customers: whom.customers && [...whom.customers] }
					] as const)
				: ([
						`due.why && :why::text[] and (:profile::uuid is null or position.profile_id = :profile::uuid) and ${ofCustomers}`,
						{
							why: [...whom.behind],
							profile: whom.profileId,
							customers: whom.customers && [...whom.customers]
						}
					] as const);
	const { rows } = await knex.raw(
		`with learnt as materialized (
			select unit.model_id, percentile_cont(0.5) within group (order by extract(epoch from flash.ended_at - flash.asked_at) / cardinality(path)) as seconds
			from flash join unit on unit.id = flash.unit_id where flash.state = 'done' and flash.ended_at > now() - interval '90 days'
			group by unit.model_id having count(*) >= ${LEARNT_FROM}
		)
		select unit.id as "unitId", binding.customer_id as "customerId", position.id as "positionId", position.site_id as "siteId", unit.model_id as "modelId",
			coalesce(unit.reported_version, '') as version, position.role_id in ('router', 'gateway') as "isFront",
			model.versions, model.room::float8 as room, model.firmware_line as line, due.target_version as target, coalesce(due.why, '{}') as why,
			learnt.seconds as learnt, (select stance from stance where stance.unit_id = unit.id) as stance
		from binding join run on run.id = binding.run_id and run.outcome = 'through'
		join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
		join position on position.id = binding.position_id join site on site.id = position.site_id
		left join unit_due due on due.unit_id = unit.id left join learnt on learnt.model_id = unit.model_id
		where ${which}
		-- what others hang on comes late, and proves nothing that others do not prove
		order by exists (select from tunnel where tunnel.far_position = position.id), binding.customer_id, site.name, position.name limit ${MOST_UNITS + 1}`,
		values
	);
	return rows;
}
