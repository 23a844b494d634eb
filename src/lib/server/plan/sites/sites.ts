import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import {
	readLocalTime,
	siteFactsSchema,
	writeFact,
	writeLocalTime,
	type FactName
} from '../../../../core/plan';
import { done, refuse, type Act } from '../../act';
import { changing } from '../../change';
import { database, isRefusal } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { NOT_PLANNED_BY_YOU } from '../patterns/patterns';
import { siteRow } from '../patterns/stamp-rows';
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
