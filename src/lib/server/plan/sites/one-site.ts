import { FACT_HEADINGS, FACT_NAMES, writeFact } from '../../../../core/plan';
import { done, refuse, type Act } from '../../act';
import { database } from '../../database';
import type { Actor } from '../../ledger';
import type { Outlook } from './outlook';
import { createSite, type SiteForm } from './sites';
import { tryStamping, stampSites, type ShownRow, type Stamping } from '../patterns/stamping';
import { colleagues } from './standing-sites';

/** One site that is being planned, from nothing until it is ready for its appointment. */
export interface OneSite {
	readonly customerId: string;
	/** The pattern whose positions it gets; null: none. */
	readonly patternId: string | null;
	readonly form: SiteForm;
	/** By their headings, as in a list of sites. */
	readonly values: readonly (readonly [heading: string, value: string])[];
}

/** One site as a list of one line: stamping many and planning one are the same act. */
async function asStamping(site: OneSite, patternId: string): Promise<Stamping> {
	const { appointment, minutes, technician, ...facts } = site.form;
	const people = await colleagues(database(), site.customerId);
	const cells: readonly (readonly [string, string])[] = [
		...FACT_NAMES.map((name) => [FACT_HEADINGS[name], writeFact(facts[name])] as const),
		['appointment', appointment],
		['technician', people.find(({ id }) => id === technician)?.name ?? ''],
		...site.values
	];
	return {
		patternId,
		minutes,
		cells: [cells.map(([heading]) => heading), cells.map(([, value]) => value)],
		also: false,
		allot: true
	};
}

const problemsOf = (row: ShownRow | undefined): readonly string[] =>
	row?.verdict === 'new'
		? []
		: row && row.verdict !== 'wrong'
			? [`The customer has a site “${row.name}” already.`]
			: (row?.problems ?? []);

/** What a site would be given and would still lack; nothing is kept. Whoever may plan sites there may look. */
export async function lookAtSite(
	site: OneSite,
	actor: Actor
): Promise<Act<{ readonly outlook: Outlook | null; readonly problems: readonly string[] }>> {
	if (site.patternId === null) return done({ outlook: null, problems: [] });
	const tried = await tryStamping(await asStamping(site, site.patternId), actor);
	if (!tried.ok) return tried;
	const [row] = tried.done.rows;
	return done({ outlook: row?.outlook ?? null, problems: problemsOf(row) });
}

/** Plans a site with the positions of its pattern, and gives it what the customer's pools have for it. */
export async function planSite(site: OneSite, actor: Actor): Promise<Act<{ id: string }>> {
	const { customerId, patternId, form, values } = site;
	if (patternId === null)
		return values.length > 0
			? refuse('Values belong to positions, and none is planned without a pattern.')
			: createSite(customerId, form, actor);
	const stamping = await asStamping(site, patternId);
	const tried = await tryStamping(stamping, actor);
	if (!tried.ok) return tried;
	const [row] = tried.done.rows;
	const [problem] = problemsOf(row);
	if (problem) return refuse(problem);
	const stamped = await stampSites(stamping, tried.done.seal, actor);
	if (!stamped.ok) return stamped;
	const made = { customer_id: customerId, name: row!.name };
	return done((await database()('site').where(made).first<{ id: string }>('id'))!);
}
