import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { readLocalTime, siteFactsSchema, writeFact, writeLocalTime, type FactName } from '../../../core/plan';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { NOT_PLANNED_BY_YOU } from './patterns';
import { siteRow } from './stamp-rows';
import { standingSites, type SiteAndPattern } from './standing-sites';

/** A site as it was typed into the form: its facts, and when somebody goes there. */
export const siteFormSchema = v.object({
	...siteFactsSchema.entries,
	/** In the site's own time; empty when none is made. */
	appointment: v.pipe(v.string(), v.trim(), v.maxLength(40)),
	minutes: v.pipe(
		v.string(),
		v.transform(Number),
		v.integer('It takes a whole number of minutes.'),
		v.minValue(5, 'It takes 5 minutes at least.'),
		v.maxValue(1440, 'It takes a day at most.')
	),
	technician: v.union([v.literal(''), v.pipe(v.string(), v.uuid())])
});
export type SiteForm = v.InferOutput<typeof siteFormSchema>;

interface SiteColumns {
	readonly [column: string]: unknown;
}
function columnsOf({ appointment, minutes, technician, ...facts }: SiteForm): Act<SiteColumns> {
	const at = appointment === '' ? null : readLocalTime(appointment, facts.timeZone);
	if (at?.ok === false) return refuse(`Appointment: ${at.message}`);
	if ((facts.latitude === null) !== (facts.longitude === null))
		return refuse('A place on the map is a latitude and a longitude.');
	return done({
		...siteRow(facts),
		appointment_at: at?.ok ? new Date(at.at) : null,
		appointment_minutes: minutes,
		technician_id: technician || null
	});
}

const problemOf = (error: unknown, name: string): Act<never> => {
	if (!isRefusal(error)) throw error;
	if (error.constraint === 'site_customer_id_name_key')
		return refuse(`The customer has a site “${name}” already.`);
	if (error.constraint === 'technician_of_customer')
		return refuse('This technician does not work for the customer.');
	return refuse('One of these is not accepted. Look at them again.');
};

/** Takes on a new customer. Administrators may; who works for it is decided afterwards. */
export async function createCustomer(name: string, actor: Actor): Promise<Act<{ id: string }>> {
	if (!actor.may('manage people', null)) return refuse('Customers are taken on by administrators.');
	const id = uuid();
	return changing(
		async (trx) => {
			await trx('customer').insert({ id, name });
			await enterInLedger(trx, actor, [
				{
					act: 'take on customer',
					customerId: id,
					subjectKind: 'customer',
					subjectId: id,
					words: `${name} is a customer now.`
				}
			]);
			return done({ id });
		},
		{ customer_name_key: `There is a customer “${name}” already.` }
	);
}

/** Plans a new site. Whoever may plan sites for the customer may. */
export async function createSite(
	customerId: string,
	form: SiteForm,
	actor: Actor
): Promise<Act<{ id: string }>> {
	try {
		return await database().transaction((trx) => createSiteIn(trx, customerId, form, actor));
	} catch (error) {
		return problemOf(error, form.name);
	}
}

/** The same as part of another act; rejects, as the database does, when there is one of that name. */
export async function createSiteIn(
	trx: Knex,
	customerId: string,
	form: SiteForm,
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (!actor.may('plan sites', customerId)) return refuse(NOT_PLANNED_BY_YOU);
	const columns = columnsOf(form);
	if (!columns.ok) return columns;
	const id = uuid();
	await trx('site').insert({ id, customer_id: customerId, ...columns.done });
	await notify(trx, 'plan', customerId);
	await enterInLedger(trx, actor, [
		{
			act: 'plan site',
			customerId,
			subjectKind: 'site',
			subjectId: id,
			words: `${form.name} was planned.`
		}
	]);
	return done({ id });
}

/** Changes what is known of a site; refused when somebody else changed it since it was shown. */
export async function changeSite(id: string, edit: number, form: SiteForm, actor: Actor): Promise<Act> {
	try {
		return await database().transaction((trx) => changeSiteIn(trx, id, edit, form, actor));
	} catch (error) {
		return problemOf(error, form.name);
	}
}

/** The same as part of another act; rejects, as the database does, when there is one of that name. `edit` null: whoever asks has looked itself. */
export async function changeSiteIn(
	trx: Knex,
	id: string,
	edit: number | null,
	form: SiteForm,
	actor: Actor
): Promise<Act> {
	const columns = columnsOf(form);
	if (!columns.ok) return columns;
	const locked = await trx('site').where({ id }).forUpdate().first('edit');
	const before = locked && (await described(trx, id));
	if (!before) return refuse('There is no such site.');
	if (!actor.may('plan sites', before.customerId)) return refuse(NOT_PLANNED_BY_YOU);
	if (edit !== null && locked.edit !== edit)
		return refuse(
			'Somebody else has changed this site meanwhile. What you typed was not saved; it is still here.'
		);
	await trx('site')
		.where({ id })
		.update({ ...columns.done, edit: locked.edit + 1 });
	const after = (await described(trx, id))!;
	const names = Object.keys(after.said).filter((name) => before.said[name] !== after.said[name]);
	if (names.length === 0) return done(undefined);
	const of = (side: Readonly<Record<string, string>>) =>
		Object.fromEntries(names.map((name) => [name, side[name]]));
	await notify(trx, 'plan', before.customerId);
	await enterInLedger(trx, actor, [
		{
			act: 'change site',
			customerId: before.customerId,
			subjectKind: 'site',
			subjectId: id,
			words: `${form.name}: ${names.join(', ')} changed.`,
			before: of(before.said),
			after: of(after.said)
		}
	]);
	return done(undefined);
}

/** Who goes to some sites, and when; what is left out stays as it is at each. */
export interface Visit {
	/** Null: nobody any more. */
	readonly technicianId?: string | null | undefined;
	/** In each site's own time, `2026-12-01 09:30`. */
	readonly appointment?: string | undefined;
}

/**
 * Gives many sites a technician, an appointment, or both. Whoever may plan sites for their customers may. All or
 * none: refused when somebody does not work for one of the customers, or a time does not exist at one of the sites.
 */
export async function sendTechnician(
	siteIds: readonly string[],
	{ technicianId, appointment }: Visit,
	actor: Actor
): Promise<Act<{ changed: number }>> {
	return changing(
		async (trx) => {
			const sites = await trx('site')
				.whereIn('id', [...siteIds])
				.orderBy('id')
				.forUpdate()
				.select<VisitedSite[]>('id', 'name', 'customer_id', 'technician_id', 'appointment_at', 'time_zone');
			if (sites.length < new Set(siteIds).size) return refuse('There is no such site any more.');
			if (sites.some((site) => !actor.may('plan sites', site.customer_id))) return refuse(NOT_PLANNED_BY_YOU);
			const planned: {
				readonly site: VisitedSite;
				readonly technician: string | null;
				readonly at: Date | null;
			}[] = [];
			for (const site of sites) {
				const at = appointment === undefined ? null : readLocalTime(appointment, site.time_zone);
				if (at?.ok === false) return refuse(`${site.name}: ${at.message} Nothing was changed.`);
				planned.push({
					site,
					technician: technicianId === undefined ? site.technician_id : technicianId,
					at: at ? new Date(at.at) : site.appointment_at
				});
			}
			const changed = planned.filter(
				({ site, technician, at }) =>
					site.technician_id !== technician || site.appointment_at?.getTime() !== at?.getTime()
			);
			if (changed.length === 0) return done({ changed: 0 });
			await trx.raw(
				`update site set technician_id = visit.technician, appointment_at = visit.at, edit = edit + 1
				from jsonb_to_recordset(?::jsonb) as visit(id uuid, technician uuid, at timestamptz) where visit.id = site.id`,
				[JSON.stringify(changed.map(({ site, technician, at }) => ({ id: site.id, technician, at })))]
			);
			const { rows } = await trx.raw('select name from limen_colleagues() where id = ? limit 1', [
				technicianId ?? null
			]);
			const name = (rows[0]?.name as string | undefined) ?? 'somebody';
			for (const customerId of new Set(changed.map(({ site }) => site.customer_id)))
				await notify(trx, 'plan', customerId);
			const when = (at: Date | null, zone: string) => (at ? writeLocalTime(at.getTime(), zone) : '');
			await enterInLedger(
				trx,
				actor,
				changed.map(({ site, technician, at }) => ({
					act: 'send technician',
					customerId: site.customer_id,
					subjectKind: 'site' as const,
					subjectId: site.id,
					words: [
						technicianId === undefined
							? ''
							: technicianId === null
								? `Nobody is named to go to ${site.name}.`
								: `${name} goes to ${site.name}.`,
						appointment === undefined ? '' : `${site.name} has its appointment on ${appointment}.`
					]
						.filter(Boolean)
						.join(' '),
					before: {
						technician: site.technician_id ?? '',
						appointment: when(site.appointment_at, site.time_zone)
					},
					after: { technician: technician ?? '', appointment: when(at, site.time_zone) }
				}))
			);
			return done({ changed: changed.length });
		},
		{ technician_of_customer: 'They do not work for one of these customers. Nothing was changed.' }
	);
}
interface VisitedSite {
	readonly id: string;
	readonly name: string;
	readonly customer_id: string;
	readonly technician_id: string | null;
	readonly appointment_at: Date | null;
	readonly time_zone: string;
}

/** Who can be sent to sites of a customer, or of any. */
export const techniciansFor = async (
	customerId: string | null
): Promise<readonly { readonly id: string; readonly name: string }[]> =>
	(
		await database().raw(
			`select distinct id, name from limen_colleagues() where ?::uuid is null or customer_id = ?::uuid order by name`,
			[customerId, customerId]
		)
	).rows;

async function described(trx: Knex, id: string) {
	const [site] = await standingSites(trx, (query) => query.where('site.id', id));
	return site && { customerId: site.customerId, said: saidOf(site) };
}
const saidOf = ({
	facts,
	appointmentAt,
	technicianId
}: SiteAndPattern): Readonly<Record<string, string>> => ({
	...Object.fromEntries(
		Object.entries(facts).map(([name, value]) => [name, writeFact(value as (typeof facts)[FactName])])
	),
	appointment:
		appointmentAt === null ? '' : `${writeLocalTime(appointmentAt, facts.timeZone)} ${facts.timeZone}`,
	technician: technicianId ?? ''
});

/** Plans one more position at a site. */
export async function addPosition(
	siteId: string,
	name: string,
	profileId: string,
	actor: Actor
): Promise<Act<{ id: string }>> {
	try {
		return await database().transaction((trx) => addPositionIn(trx, siteId, name, profileId, actor));
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(`The site has a position “${name}” already.`);
	}
}

/** The same as part of another act; rejects, as the database does, when the site has one of that name. */
export async function addPositionIn(
	trx: Knex,
	siteId: string,
	name: string,
	profileId: string,
	actor: Actor
): Promise<Act<{ id: string }>> {
	const site = await trx('site').where({ id: siteId }).first('customer_id', 'name');
	if (!site) return refuse('There is no such site.');
	if (!actor.may('plan sites', site.customer_id)) return refuse(NOT_PLANNED_BY_YOU);
	const id = uuid();
	const { rowCount } = await trx.raw(
		`insert into position (id, site_id, customer_id, name, role_id, profile_id)
		select ?, ?, ?, ?, role_id, id from profile where id = ? and retired_at is null`,
		[id, siteId, site.customer_id, name, profileId]
	);
	if (rowCount === 0) return refuse('There is no such profile any more.');
	await notify(trx, 'plan', site.customer_id);
	await enterInLedger(trx, actor, [
		{
			act: 'plan position',
			customerId: site.customer_id,
			subjectKind: 'position',
			subjectId: id,
			words: `${name} was planned at ${site.name}.`
		}
	]);
	return done({ id });
}

/** Takes a position out of the plan, with its values. Refused where a unit is bound, or ever was: its history stays. */
export async function removePosition(positionId: string, actor: Actor): Promise<Act> {
	return changing(async (trx) => {
		const position = await trx('position')
			.join('site', 'site.id', 'site_id')
			.where('position.id', positionId)
			.forUpdate('position')
			.first('position.name', 'site.name as site', 'position.customer_id', 'position.site_id');
		if (!position) return refuse('This position is gone already.');
		if (!actor.may('plan sites', position.customer_id)) return refuse(NOT_PLANNED_BY_YOU);
		const [site] = await standingSites(trx, (query) => query.where('site.id', position.site_id));
		const place = site!.places.find(({ id }) => id === positionId)!;
		if (place.hasHistory)
			return refuse(`${position.name} has a unit or had one. Its history stays, and so does the position.`);
		await trx('position').where({ id: positionId }).delete();
		await notify(trx, 'plan', position.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'remove position',
				customerId: position.customer_id,
				subjectKind: 'position',
				subjectId: positionId,
				words: `${position.name} was taken out of the plan of ${position.site}.`
			}
		]);
		return done(undefined);
	});
}
