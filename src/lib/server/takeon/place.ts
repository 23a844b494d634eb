import * as v from 'valibot';
import { siteFactsSchema } from '../../../core/plan';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { BINDING_REFUSALS } from '../binding';
import { changing } from '../change';
import { BOOTSTRAP, database } from '../database';
import { beginLongWork, onJob, onLongWork, type Thing } from '../jobs';
import { enterInLedger, type Actor } from '../ledger';
import { jsonText } from '../profile';
import { adopt, ADOPT } from './adopt';
import { aboutTakeOn, MOST_UNITS, openTakeOn, orderLearning } from './collect';
import { groupsOfTakeOn, unitsOfTakeOn } from './store';
import { takeUnitOn } from './take-unit';

const place = v.pipe(v.string(), v.trim(), v.maxLength(120));
export const takeOnPlacesSchema = v.object({
	places: v.pipe(
		jsonText,
		v.array(v.object({ unit: v.pipe(v.string(), v.uuid()), site: place, position: place })),
		v.maxLength(MOST_UNITS)
	)
});

/** Says where units are; empty: as it is guessed. Two units cannot have one place. */
export const givePlaces = (
	id: string,
	{ places }: v.InferOutput<typeof takeOnPlacesSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const opened = await openTakeOn(trx, id, actor);
		if (!opened.ok) return opened;
		const taken = new Set<string>();
		for (const { site, position } of places) {
			const key = JSON.stringify([site.toLowerCase(), position.toLowerCase()]);
			if (site !== '' && position !== '' && taken.has(key))
				return refuse(`Two units are called ${position} at ${site}. Nothing was kept.`);
			taken.add(key);
		}
		const { rowCount } = await trx.raw(
			`update take_on_unit unit set site_name = w.site, position_name = w.position
			from jsonb_to_recordset(?::jsonb) as w(unit uuid, site text, position text)
			where unit.id = w.unit and take_on_id = ? and position_id is null and (site_name, position_name) is distinct from (w.site, w.position)`,
			[JSON.stringify(places), id]
		);
		if ((rowCount ?? 0) > 0) await orderLearning(trx, opened.done);
		return done({ count: rowCount ?? 0 });
	});

const TAKE_ON = 'take units on';
export const takeOnNowSchema = v.object({
	timeZone: siteFactsSchema.entries.timeZone
});

/**
 * Brings all units into the plan whose profile is released and whose proof holds, as long work: each with its site, its
 * position, its values and its own statements, watched. Whoever may plan sites, set values and send for the customer may.
 */
export async function takeUnitsOn(
	id: string,
	{ timeZone }: v.InferOutput<typeof takeOnNowSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> {
	return changing(async (trx) => {
		const opened = await openTakeOn(trx, id, actor);
		if (!opened.ok) return opened;
		const takeOn = opened.done;
		if (!actor.may('set values', takeOn.customerId) || !actor.may('send', takeOn.customerId))
			return refuse('You may not plan, set values and send for this customer.');
		if (takeOn.learnt !== takeOn.wanted) return refuse('It is still being learnt.');
		const released = new Set(
			(await groupsOfTakeOn(id, trx)).filter(({ isReleased }) => isReleased).map((group) => group.id)
		);
		const things = (await unitsOfTakeOn(id, trx))
			.filter(({ positionId, groupId }) => positionId === null && groupId !== null && released.has(groupId))
			.map((unit): Thing => ({
				customerId: takeOn.customerId,
				subject: unit.name,
				about: { takeOn: id, unit: unit.id, timeZone }
			}));
		if (things.length === 0)
			return refuse('No unit waits whose profile is released. Release a profile first.');
		const work = await beginLongWork(trx, { kind: TAKE_ON, title: `Take on ${takeOn.name}`, things }, actor);
		if (!work.ok) return work;
		await enterInLedger(trx, actor, [
			aboutTakeOn(
				takeOn,
				`${counted(things.length, 'unit')} of take-on “${takeOn.name}” brought into the plan.`
			)
		]);
		return done({ count: things.length });
	});
}

export function startTakingOn(): void {
	onJob(ADOPT, BOOTSTRAP, ({ run }) => adopt(run!));
	onLongWork(TAKE_ON, takeUnitOn, {
		...BINDING_REFUSALS,
		position_site_id_name_key: 'Its site has a position of that name already.',
		site_customer_id_name_key: 'There is a site of that name already.'
	});
}

/** The time zone that most of the customer's sites have; before it has any, most of all sites that somebody sees. */
export async function usualTimeZone(customerId: string): Promise<string> {
	const { rows } = await database().raw(
		`select time_zone from site group by 1 order by count(*) filter (where customer_id = ?) desc, count(*) desc, 1 limit 1`,
		[customerId]
	);
	return (rows[0]?.time_zone as string | undefined) ?? 'UTC';
}
