import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { isOlder, wayTo, type FirmwareVersion, type KnownImage } from '../../../core/firmware';
import { kindTitle, type RolloutKind } from '../../../core/rollout';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { imagesByLine } from '../firmware';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import type { Why } from '../drift';

/** Whom a rollout is for. */
export type ForWhom =
	| { readonly units: readonly string[] }
	/** All of a firmware line. */
	| { readonly line: string; readonly customers: readonly string[] | null }
	/** All that are behind for one of these reasons, of one profile where it is named. */
	| {
			readonly behind: readonly Why[];
			readonly profileId: string | null;
			readonly customers: readonly string[] | null;
	  };
export interface Drafting {
	readonly kind: Exclude<RolloutKind, 'restore'>;
	readonly whom: ForWhom;
	/** Firmware: the version for all; each unit's own target where none is named. */
	readonly version?: string | undefined;
}
export const MOST_UNITS = 50_000;

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
	/** Median of how long changes of its model's firmware took, in seconds; null when none is known. */
	readonly learnt: number | null;
}

/** What is taken of a unit into the plan, or why it is not. */
type Taken =
	| { readonly ok: true; readonly to: string | null; readonly steps: number; readonly isBack: boolean }
	| { readonly ok: false; readonly why: string };

/** In seconds, until there are some to learn from. */
const USUAL_SECONDS = { firmware: 300, due: 90, restore: 90, restart: 180 } as const satisfies Record<
	RolloutKind,
	number
>;
const LEARNT_FROM = 5;

/**
 * Lays down a rollout for somebody to look at before it begins: which units, from what to what. Whoever may send at all
 * of their customers may; units that need nothing or that there is no way for are left out, and told. Refused: when
 * nothing is left, or too many are.
 */
export async function draftRollout(
	{ kind, whom, version }: Drafting,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	if (!actor.personId) return refuse('Only a person can plan a rollout.');
	const candidates = await candidatesOf(database(), whom);
	if (candidates.length > MOST_UNITS) return refuse(`At most ${MOST_UNITS} units in one rollout.`);
	const images = await imagesByLine(database());
	const ways = new Map<string, Taken>();
	const taken: { readonly one: Candidate; readonly how: Extract<Taken, { ok: true }> }[] = [];
	const left = new Map<string, number>();
	for (const one of candidates) {
		const to = version ?? one.target;
		// Units of one model with one version have one way
		const key = JSON.stringify([one.modelId, one.version, to, one.why]);
		const how = ways.get(key) ?? take(kind, one, to, images.get(one.line) ?? NO_IMAGES);
		ways.set(key, how);
		if (how.ok) taken.push({ one, how });
		else left.set(how.why, (left.get(how.why) ?? 0) + 1);
	}
	const leftOut = [...left].map(([why, count]) => `${counted(count, 'unit')}: ${why}`).join(' ');
	if (taken.length === 0)
		return refuse(
			candidates.length === 0 ? 'None of these units is online.' : `Nothing is to be done. ${leftOut}`
		);
	const customers = [...new Set(taken.map(({ one }) => one.customerId))];
	const foreign = customers.filter((customer) => !actor.may('send', customer)).length;
	if (foreign > 0)
		return refuse(
			`You may not send to units of ${counted(foreign, 'of these customers', 'of these customers')}.`
		);
	const id = uuid();
	await database().transaction(async (trx) => {
		await trx('rollout').insert({
			id,
			title: titleOf(
				kind,
				version ?? null,
				taken.map(({ how }) => how.to)
			),
			kind,
			words: leftOut && `Left out: ${leftOut}`.slice(0, 2_000),
			customer_id: customers.length === 1 ? customers[0]! : null,
			person_id: actor.personId,
			actor: actor.name,
			address: actor.address
		});
		await insertItems(
			trx,
			id,
			taken.map(({ one, how }) => ({
				unit: one.unitId,
				position: one.positionId,
				site: one.siteId,
				customer: one.customerId,
				model: one.modelId,
				front: one.isFront,
				from: one.version,
				to: how.to,
				version: null,
				takes: (kind === 'firmware' && one.learnt ? one.learnt : USUAL_SECONDS[kind]) * how.steps
			}))
		);
		await enterInLedger(trx, actor, [
			{
				act: 'plan rollout',
				customerId: customers.length === 1 ? customers[0]! : null,
				subjectKind: 'rollout',
				subjectId: id,
				words: `A rollout to ${counted(taken.length, 'unit')} is planned.`
			}
		]);
		await notify(trx, 'rollouts', null, [id]);
	});
	return done({ id, count: taken.length });
}

function titleOf(kind: RolloutKind, version: string | null, targets: readonly (string | null)[]): string {
	if (kind !== 'firmware') return kindTitle(kind);
	const named = version ? [version] : [...new Set(targets)];
	return `${kindTitle(kind)} ${named.slice(0, 3).join(', ')}${named.length > 3 ? ' and others' : ''}`;
}

const NO_IMAGES: ReadonlyMap<string, KnownImage> = new Map();

interface NewItem {
	readonly unit: string;
	readonly position: string;
	readonly site: string;
	readonly customer: string;
	readonly model: string;
	readonly front: boolean;
	readonly from: string;
	readonly to: string | null;
	readonly version: string | null;
	/** In seconds. */
	readonly takes: number;
}
export const insertItems = (trx: Knex, rolloutId: string, items: readonly NewItem[]): Promise<unknown> =>
	trx.raw(
		`insert into rollout_item (rollout_id, unit_id, position_id, site_id, customer_id, model_id, ordinal, is_front, from_version, to_version, version_id, takes)
		select :id, i.unit, i.position, i.site, i.customer, i.model, ordinal, i.front, i.from, i.to, i.version, make_interval(secs => i.takes)
		from rows from (jsonb_to_recordset(:items::jsonb) as (unit uuid, position uuid, site uuid, customer uuid, model text, front boolean,
			"from" text, "to" text, version uuid, takes float8)) with ordinality as i(unit, position, site, customer, model, front, "from", "to", version, takes, ordinal)`,
		{ id: rolloutId, items: JSON.stringify(items) }
	);

function take(
	kind: Drafting['kind'],
	{ version, versions, room, why }: Candidate,
	to: string | null,
	images: ReadonlyMap<string, KnownImage>
): Taken {
	if (kind === 'restart') return { ok: true, to: null, steps: 1, isBack: false };
	if (kind === 'due')
		return why.includes('revision') || why.includes('values')
			? { ok: true, to: null, steps: 1, isBack: false }
			: { ok: false, why: 'it runs what is due.' };
	if (to === null) return { ok: false, why: 'its profile wants no firmware.' };
	const way = wayTo(versions, images, room, version, to);
	if (!way.ok) return way;
	if (way.path.length === 0) return { ok: false, why: `it runs ${to} already.` };
	return { ok: true, to, steps: way.path.length, isBack: isOlder(versions, to, version) === true };
}

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
			learnt.seconds as learnt
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
