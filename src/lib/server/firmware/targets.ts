import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { isOlder } from '../../../core/firmware';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { findImage, VERSION_FORM } from './library';

/** Another firmware than the profiles' own, for a customer, one of its sites, or one position. */
export interface OwnTarget {
	readonly id: string;
	readonly of: 'customer' | 'site' | 'position';
	readonly name: string;
	readonly siteId: string | null;
	readonly customerId: string;
	readonly customer: string;
	readonly firmwareLine: string;
	readonly version: string;
	readonly reason: string;
	readonly byWhom: string;
	readonly at: Date;
}
const MOST_SHOWN = 500;

/** Those of these customers (null: of all), by customer, the widest first. */
export async function ownTargets(customers: readonly string[] | null): Promise<OwnTarget[]> {
	const { rows } = await database().raw(
		`select target.id, case when position.id is not null then 'position' when site.id is not null then 'site' else 'customer' end as of,
			case when position.id is not null then place.name || ', ' || position.name else coalesce(site.name, customer.name) end as name,
			coalesce(site.id, place.id) as "siteId", customer.id as "customerId", customer.name as customer,
			target.firmware_line as "firmwareLine", target.version, target.reason, by_whom as "byWhom", target.at
		from firmware_target target join customer on customer.id = target.customer_id
		left join site on site.id = target.site_id left join position on position.id = target.position_id left join site place on place.id = position.site_id
		where (:customers::uuid[] is null or target.customer_id = any (:customers::uuid[]))
		order by customer.name, position.id is not null, site.id is not null, name, firmware_line limit ${MOST_SHOWN}`,
		{ customers: customers && [...customers] }
	);
	return rows;
}

const whose = (which: string) => v.optional(oneId(which));
export const targetSchema = v.object({
	customer: whose('Which customer?'),
	site: whose('Which site?'),
	position: whose('Which position?'),
	line: v.pipe(v.string('Which firmware line?'), v.minLength(1, 'Which firmware line?'), v.maxLength(100)),
	version: v.pipe(
		v.string('Which version?'),
		v.trim(),
		v.regex(VERSION_FORM, 'A version has letters, digits and “. + _ -” only.')
	),
	reason: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(500, 'At most 500 characters.')), '')
});

/**
 * Says which firmware units are to run in place of their profile's, for the innermost that is given. Engineers of the
 * customer may. Refused: a version without an image or a withdrawn one; an older one than what units run there, without a
 * reason. Sends nothing: what falls behind by it is told, and brought by a rollout.
 */
export async function setTarget(given: v.InferOutput<typeof targetSchema>, actor: Actor): Promise<Act> {
	const image = await findImage(given.line, given.version);
	if (!image) return refuse(`There is no image ${given.line} ${given.version}.`);
	if (image.state === 'withdrawn')
		return refuse(`Version ${given.version} was withdrawn: ${image.stateReason}`);
	return changing(async (trx) => {
		const owner = (
			await trx.raw(
				`select customer.id as "customerId", case when position.id is null then site.id end as "siteId", position.id as "positionId",
					coalesce(position.name || ' at ' || place.name, site.name, customer.name) as name
				from (select :position::uuid as position, :site::uuid as site, :customer::uuid as customer) asked
				left join position on position.id = asked.position left join site place on place.id = position.site_id
				left join site on site.id = asked.site
				join customer on customer.id = coalesce(position.customer_id, site.customer_id, asked.customer)`,
				{
					position: given.position ?? null,
					site: given.position ? null : (given.site ?? null),
					customer: given.position || given.site ? null : (given.customer ?? null)
				}
			)
		).rows[0];
		if (!owner) return refuse('For which customer, site or position?');
		if (!actor.may('upload image', owner.customerId))
			return refuse('The firmware of a customer is decided by its engineers.');
		const { rows } = await trx.raw(
			`select distinct unit.reported_version as version, model.versions
			from binding join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
			join position on position.id = binding.position_id
			where binding.customer_id = :customerId and model.firmware_line = :line and unit.reported_version is not null
				and (:siteId::uuid is null or position.site_id = :siteId::uuid) and (:positionId::uuid is null or position.id = :positionId::uuid)`,
			{ ...owner, line: given.line }
		);
		const newer = (rows as { version: string; versions: Parameters<typeof isOlder>[0] }[]).find(
			({ version, versions }) => isOlder(versions, given.version, version)
		);
		if (newer && given.reason === '')
			return refuse(`Units run ${newer.version} there, which is newer. Say why they are to go back.`);
		await trx('firmware_target')
			.insert({
				id: uuid(),
				customer_id: owner.customerId,
				site_id: owner.siteId,
				position_id: owner.positionId,
				firmware_line: given.line,
				version: given.version,
				reason: given.reason,
				by_whom: actor.name
			})
			.onConflict(['customer_id', 'site_id', 'position_id', 'firmware_line'])
			.merge(['version', 'reason', 'by_whom', 'at']);
		await enterInLedger(trx, actor, [
			{
				act: 'set firmware target',
				customerId: owner.customerId,
				subjectKind: owner.positionId ? 'position' : owner.siteId ? 'site' : 'customer',
				subjectId: owner.positionId ?? owner.siteId ?? owner.customerId,
				words: `${owner.name} is to run ${given.line} ${given.version}, whatever its profiles say.${given.reason === '' ? '' : ` ${given.reason}`}`
			}
		]);
		await notify(trx, 'drift', owner.customerId, []);
		return done(undefined);
	});
}

export const droppedTargetSchema = v.object({ target: oneId('Which target?') });

/** The profile's firmware counts again there. Engineers of the customer may. */
export async function dropTarget(id: string, actor: Actor): Promise<Act> {
	return changing(async (trx) => {
		const target = await trx('firmware_target')
			.where({ id })
			.first('customer_id as customerId', 'firmware_line as line', 'version', 'site_id', 'position_id');
		if (!target) return refuse('It is gone already.');
		if (!actor.may('upload image', target.customerId))
			return refuse('The firmware of a customer is decided by its engineers.');
		await trx('firmware_target').where({ id }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'drop firmware target',
				customerId: target.customerId,
				subjectKind: target.position_id ? 'position' : target.site_id ? 'site' : 'customer',
				subjectId: target.position_id ?? target.site_id ?? target.customerId,
				words: `${target.line} ${target.version} is not wanted in place of the profiles’ firmware any more.`
			}
		]);
		await notify(trx, 'drift', target.customerId, []);
		return done(undefined);
	});
}

/** How many units run a version of a line. */
export interface RunBy {
	readonly line: string;
	readonly version: string;
	readonly units: number;
}

/** Which versions the bound units of these customers (null: of all) run. */
export async function whoRuns(customers: readonly string[] | null): Promise<RunBy[]> {
	const { rows } = await database().raw(
		`select model.firmware_line as line, unit.reported_version as version, count(*)::int as units
		from binding join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
		where unit.reported_version is not null and (:customers::uuid[] is null or binding.customer_id = any (:customers::uuid[]))
		group by 1, 2 order by 1, 2`,
		{ customers: customers && [...customers] }
	);
	return rows;
}
