import type { Knex } from 'knex';
import { missingAt, type Missing } from '../../../../core/plan';
import { previewOf, renderingSources, type Preview, type RenderingSource } from '../../profile';
import { colleagues, standingSites, type SiteAndPattern } from './standing-sites';

/** What a site that is being planned is given, value by value, and what it will still lack. */
export interface Outlook {
	readonly positions: readonly {
		readonly name: string;
		readonly profileName: string;
		/** Those that are this site's or position's own; secrets are masked. */
		readonly values: readonly { readonly name: string; readonly value: string }[];
	}[];
	readonly missing: readonly Missing[];
}

/** More sites than these are not looked at one by one. */
export const MOST_LOOKED_AT = 100;

/** What a transaction has just planned, to be looked at once it is over. */
export interface PlannedSites {
	readonly sites: readonly SiteAndPattern[];
	readonly positions: readonly { readonly id: string; readonly site_id: string; readonly name: string }[];
	readonly sources: ReadonlyMap<string, RenderingSource>;
	readonly technicians: ReadonlyMap<string, string>;
}

/** Reads what is planned at some sites. Part of trying: it asks no right of its own. */
export async function plannedSites(trx: Knex, siteIds: readonly string[]): Promise<PlannedSites> {
	const some = siteIds.slice(0, MOST_LOOKED_AT);
	const [sites, positions] = await Promise.all([
		standingSites(trx, (query) => query.whereIn('site.id', some)),
		trx('position').whereIn('site_id', some).orderBy('name').select('id', 'site_id', 'name')
	]);
	const people = sites[0] ? await colleagues(trx, sites[0].customerId) : [];
	return {
		sites,
		positions,
		sources: await renderingSources(
			trx,
			positions.map(({ id }) => id as string)
		),
		technicians: new Map(people.map(({ id, name }) => [id, name]))
	};
}

/**
 * By name, what such sites come to. Outside of any transaction: each position is rendered, and what somebody
 * writes into a profile can take its time. Units that are not bound are nothing to tell: none could be.
 */
export async function outlooksOf({
	sites,
	positions,
	sources,
	technicians
}: PlannedSites): Promise<ReadonlyMap<string, Outlook>> {
	const previews = new Map(
		await Promise.all([...sources].map(async ([id, source]) => [id, await previewOf(source)] as const))
	);
	return new Map(
		sites.map(({ id, facts, appointmentAt, technicianId }) => {
			const own = positions.filter((position) => position.site_id === id);
			const technician = technicianId ? (technicians.get(technicianId) ?? null) : null;
			const planned = own.map((position) => ({
				name: position.name,
				standing: 'open' as const,
				problems: (previews.get(position.id)?.problems ?? []).map(({ message }) => message)
			}));
			const missing = missingAt(facts, { at: appointmentAt, technician }, planned);
			return [
				facts.name,
				{
					positions: own.map((position) => shown(position.name, previews.get(position.id))),
					missing: missing.filter(({ kind }) => kind !== 'unit')
				}
			];
		})
	);
}

const shown = (name: string, preview: Preview | undefined): Outlook['positions'][number] => ({
	name,
	profileName: preview?.profileName ?? '',
	values: (preview?.values ?? [])
		.filter(({ source }) => ['site', 'position', 'formula'].includes(source))
		.map(({ name: field, value }) => ({ name: field, value }))
});
