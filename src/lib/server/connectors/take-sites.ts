import type { Knex } from 'knex';
import { siteHere, type CellDifference } from '../../../core/connector';
import {
	FACT_HEADINGS,
	FACT_NAMES,
	factsFrom,
	readFact,
	type FactName,
	type SiteFacts
} from '../../../core/plan';
import { done, refuse, type Act } from '../act';
import type { Actor } from '../ledger';
import {
	changeSiteIn,
	colleagues,
	createSiteIn,
	likeOthers,
	saveValuesIn,
	sheetColumns,
	stampIn,
	standingSites,
	type SiteForm,
	type ValueChange
} from '../plan';
import type { StatedConnector } from './state';

/** What is to be changed of a thing that stands here, as it was compared. */
export interface AsThere {
	readonly id: string;
	readonly customerId: string;
	readonly differences: readonly CellDifference[];
	/** What is said where it is not as it was compared any more. */
	readonly meanwhile: string;
}
export type Cells = Readonly<Record<string, string>>;
/** How long somebody is there, where nothing says otherwise. */
const USUAL_MINUTES = 120;

const NAMES = new Map(FACT_NAMES.map((name) => [FACT_HEADINGS[name], name]));

/** Facts as a source gives them. Refused: what is none. */
function factsIn(cells: Cells): Act<Partial<SiteFacts>> {
	const facts: Partial<Record<FactName, SiteFacts[FactName]>> = {};
	for (const [heading, cell] of Object.entries(cells)) {
		const name = NAMES.get(heading);
		if (!name) continue;
		const read = readFact(name, cell);
		if (!read.ok) return refuse(`${heading}: ${read.message}`);
		facts[name] = read.value;
	}
	return done(facts as Partial<SiteFacts>);
}

const technicianIn = async (
	trx: Knex,
	customerId: string,
	name: string | undefined
): Promise<Act<string>> => {
	if (!name) return done('');
	const found = (await colleagues(trx, customerId)).find((one) => one.name === name);
	return found ? done(found.id) : refuse(`technician: “${name}” does not work for this customer.`);
};

/** A site that the source has anew: stamped from the connector's pattern, or with its facts alone. */
export async function makeSite(
	trx: Knex,
	{ customer_id: customerId, pattern_id: patternId }: StatedConnector,
	cells: Cells,
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (patternId !== null) {
		const rows = [Object.keys(cells), Object.values(cells)];
		const stamped = await stampIn(trx, { patternId, cells: rows, also: false, allot: true }, actor);
		if (!stamped.ok) return stamped;
		const [id] = stamped.done.created;
		return id
			? done({ id })
			: refuse(stamped.done.problems[0] ?? 'It stands here since it was compared. Compare again.');
	}
	const facts = factsIn(cells);
	if (!facts.ok) return facts;
	const technician = await technicianIn(trx, customerId, cells.technician);
	if (!technician.ok) return technician;
	const form: SiteForm = {
		...factsFrom({ ...facts.done, name: cells.site! }, await likeOthers(trx, customerId)),
		appointment: cells.appointment ?? '',
		minutes: USUAL_MINUTES,
		technician: technician.done
	};
	return createSiteIn(trx, customerId, form, actor);
}

/** Changes a site to what its source says. Refused: where it is not as it was compared any more. */
export async function changeSiteAsThere(
	trx: Knex,
	{ id, customerId, differences, meanwhile }: AsThere,
	actor: Actor
): Promise<Act> {
	await trx('site').where({ id }).forUpdate().first('id');
	const [site] = await standingSites(trx, (query) => query.where('site.id', id));
	if (!site) return refuse('It was removed here since it was compared.');
	const { cells } = siteHere(site, await colleagues(trx, customerId));
	if (differences.some(({ what, here }) => (cells[what] ?? '') !== here)) return refuse(meanwhile);
	const there = Object.fromEntries(differences.map(({ what, there: now }) => [what, now]));
	const facts = factsIn(there);
	if (!facts.ok) return facts;
	if (Object.keys(facts.done).length > 0 || 'appointment' in there || 'technician' in there) {
		const technician = await technicianIn(trx, customerId, there.technician ?? cells.technician);
		if (!technician.ok) return technician;
		const { minutes } = await trx('site').where({ id }).first('appointment_minutes as minutes');
		const form: SiteForm = {
			...site.facts,
			...facts.done,
			appointment: there.appointment ?? cells.appointment ?? '',
			minutes,
			technician: technician.done
		};
		const changed = await changeSiteIn(trx, id, null, form, actor);
		if (!changed.ok) return changed;
	}
	const values: ValueChange[] = [];
	for (const [what, now] of Object.entries(there)) {
		if (NAMES.has(what) || what === 'appointment' || what === 'technician') continue;
		const place = site.places.find(({ name }) => what.startsWith(`${name} `));
		const carrier = place ?? (await carrierOf(trx, site.places, what));
		if (!carrier) return refuse(`No position of the site asks for “${what}”.`);
		values.push(
			place
				? { positionId: place.id, field: what.slice(place.name.length + 1), target: 'position', now }
				: { positionId: carrier.id, field: what, target: 'site', now }
		);
	}
	return saveAll(trx, values, actor);
}

/** A position whose profile asks for a value of its site. */
async function carrierOf<Place extends { readonly profileId: string }>(
	trx: Knex,
	places: readonly Place[],
	field: string
): Promise<Place | undefined> {
	for (const place of places)
		if (
			(await sheetColumns({ profileId: place.profileId, all: true }, trx)).some(
				(one) => one.field.name === field
			)
		)
			return place;
	return undefined;
}

/** Values as a source gives them. Refused with what is wrong with the first. */
export async function saveAll(trx: Knex, values: readonly ValueChange[], actor: Actor): Promise<Act> {
	if (values.length === 0) return done(undefined);
	const saved = await saveValuesIn(trx, values, actor);
	return saved.ok ? done(undefined) : refuse(`${saved.cells[0]!.field}: ${saved.cells[0]!.message}`);
}
