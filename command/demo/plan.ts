import { readdirSync } from 'node:fs';
import * as v from 'valibot';
import { file, HUB, INES, isHubSite, MAREN, rows } from './files';
import { database, runAs } from '../../src/lib/server/database';
import { loadPack } from '../../src/lib/server/packs';
import {
	createPool,
	customers,
	importPlan,
	planSchema,
	tryStamping,
	savePattern,
	stampSites
} from '../../src/lib/server/plan';
import { keepCohort } from '../../src/lib/server/cohorts';
import { saveRule } from '../../src/lib/server/secrets';
import { saveWindowRule } from '../../src/lib/server/windows';
import { windowRuleSchema } from '../../src/core/windows';

/**
 * The demo's plan, read from the open files under demo/ and brought in by the application's own acts. Each leaves alone what is
 * there already, so loading again adds nothing.
 */

/** The packs of the demo's makers, in the order of their files; one that is in use already is left alone. */
async function loadPacks(): Promise<void> {
	for (const name of readdirSync(new URL('../../demo/packs/', import.meta.url)).sort()) {
		const act = await loadPack(file(`packs/${name}`), MAREN);
		if (!act.ok && !/the one in use/.test(act.problem)) throw new Error(`${name}: ${act.problem}`);
	}
}

export async function loadPlan(): Promise<number> {
	await loadPacks();
	const parts = (JSON.parse(file('parts/parts.json')) as { texts: Record<string, string> }[]).map((part) => ({
		...part,
		texts: Object.fromEntries(
			Object.entries(part.texts).map(([dialect, name]) => [dialect, file(`parts/${name}`)])
		)
	}));
	const plan = v.parse(planSchema, {
		parts,
		profiles: JSON.parse(file('profiles.json')),
		customers: JSON.parse(file('customers.json')),
		sites: rows('sites.csv').map((row) => ({
			customer: row.customer,
			name: row.site,
			street: row.street,
			locality: row.locality,
			latitude: Number(row.latitude),
			longitude: Number(row.longitude),
			timeZone: row['time zone'],
			contact: row.contact,
			uplink: row.uplink,
			sim: row.sim ?? '',
			apn: row.apn ?? '',
			values: JSON.parse(row.values || '{}'),
			appointment: row.appointment || null
		})),
		positions: rows('positions.csv').map((row) => ({
			customer: row.customer,
			site: row.site,
			name: row.position,
			role: row.role,
			profile: row.profile,
			values: JSON.parse(row.values ?? '{}')
		}))
	});
	return importPlan(plan, INES);
}

/** Pools of the demo's customers; each takes over the blocks and numbers that its sites have. */
export async function loadPools(): Promise<void> {
	const ids = new Map((await customers()).map(({ id, name }) => [name, id]));
	for (const { customer, block, length, first, last, ...pool } of JSON.parse(file('pools.json')))
		await createPool(
			{ ...pool, customerId: ids.get(customer)!, range: block ? { block, length } : { first, last } },
			MAREN
		);
}

/** When disruptive acts are allowed at some of the demo's sites. */
export async function loadWindows(): Promise<void> {
	const ids = new Map((await customers()).map(({ id, name }) => [name, id]));
	for (const { customer, pattern, rule } of JSON.parse(file('windows.json'))) {
		const customerId = ids.get(customer)!;
		const named = pattern && (await database()('site_pattern').where({ name: pattern }).first('id'));
		const owner = { customerId, patternId: named?.id ?? null, siteId: null };
		await saveWindowRule(owner, { rule: v.parse(windowRuleSchema, rule), edit: 0 }, MAREN);
	}
}

/** How old the demo's secrets may become, and how old they are: tunnels' where no field is named. */
export async function loadSecrets(): Promise<void> {
	const ids = new Map((await customers()).map(({ id, name }) => [name, id]));
	const given: DemoSecrets[] = JSON.parse(file('secrets.json'));
	for (const { customer, about, days, ages } of given) {
		const customerId = ids.get(customer)!;
		await saveRule({ customer: customerId, about, days }, MAREN);
		for (const [field, age] of Object.entries(ages))
			await database()('secret')
				.where({ customer_id: customerId, field })
				.update({ since: database().raw(`now() - make_interval(days => ?)`, [age]) });
	}
}
interface DemoSecrets {
	readonly customer: string;
	readonly about: string;
	readonly days: number;
	/** In days, by field. */
	readonly ages: Readonly<Record<string, number>>;
}

/** The demo's cohorts, how large they were on the days before, and who was behind then. */
export async function loadCohorts(): Promise<void> {
	const ids = new Map((await customers()).map(({ id, name }) => [name, id]));
	const before = (days: number, at: number) => database().raw('current_date - ?::int', [days - at]);
	const cohortsGiven: DemoCohort[] = JSON.parse(file('cohorts.json'));
	for (const { customer, name, rule, sizes } of cohortsGiven) {
		const customerId = ids.get(customer)!;
		const act = await keepCohort({ customer: customerId, name, rule }, MAREN);
		if (!act.ok) continue;
		const { id } = await database()('cohort').where({ customer_id: customerId, name }).first('id');
		await database()('cohort_size').insert(
			sizes.map((units, at) => ({
				cohort_id: id,
				customer_id: customerId,
				day: before(sizes.length, at),
				units
			}))
		);
	}
	const behindGiven: DemoBehind[] = JSON.parse(file('behind.json'));
	for (const { customer, profile, units, revision, values, firmware } of behindGiven) {
		const { id } = await database()('profile').where({ name: profile }).first('id');
		await database()('behind_on_day').insert(
			revision.map((older, at) => ({
				customer_id: ids.get(customer)!,
				profile_id: id,
				day: before(revision.length, at),
				units,
				behind: Math.max(older, values[at]!, firmware[at]!),
				by_revision: older,
				by_values: values[at]!,
				by_firmware: firmware[at]!
			}))
		);
	}
}
interface DemoCohort {
	readonly customer: string;
	readonly name: string;
	readonly rule: string;
	/** Day by day, yesterday last. */
	readonly sizes: readonly number[];
}
interface DemoBehind {
	readonly customer: string;
	readonly profile: string;
	readonly units: number;
	/** Day by day, yesterday last: with an older revision, with other values, on other firmware. */
	readonly revision: readonly number[];
	readonly values: readonly number[];
	readonly firmware: readonly number[];
}

/** Patterns of the demo's customers; the sites that stand come to follow them, and Tobias goes where somebody is due. */
export async function loadPatterns(): Promise<void> {
	const [ids, profiles, ines, hubs] = await Promise.all([
		customers().then((all) => new Map(all.map(({ id, name }) => [name, id]))),
		database()('profile').select<{ id: string; name: string }[]>('id', 'name'),
		database()('person').where({ name: INES.name }).first('id'),
		hubsOfDemo()
	]);
	const profileId = (wanted: string) => profiles.find(({ name }) => name === wanted)!.id;
	const patterns: DemoPattern[] = JSON.parse(file('patterns.json'));
	const named = new Set(patterns.flatMap(({ sites }) => sites ?? []));
	for (const { customer, places, sites, ...pattern } of patterns) {
		const made = await savePattern(
			ids.get(customer)!,
			{
				id: null,
				edit: 0,
				siteValues: {},
				...pattern,
				places: places.map(({ name, profile, tunnel }) => ({
					id: null,
					name,
					profileId: profileId(profile),
					tunnelTo: tunnel ? hubs.get(`${customer} ${tunnel}`)! : null,
					values: {}
				}))
			},
			INES
		);
		if (!made.ok || sites?.length === 0) continue;
		const cells = rows('sites.csv')
			.filter((row) => row.customer === customer && !isHubSite(row))
			.filter((row) => (sites ? sites.includes(row.site!) : !named.has(row.site!)))
			.map((row) => [row.site!, row.appointment && customer !== SOUTHFOLD ? 'Tobias Venn' : '']);
		// As a person: who can be sent somewhere is seen by those who work for the customer
		await runAs({ kind: 'person', personId: ines.id }, async () => {
			const stamping = {
				patternId: made.done.id,
				cells: [['site', 'technician'], ...cells],
				also: true,
				allot: false
			};
			const rehearsed = await tryStamping(stamping, INES);
			if (rehearsed.ok) await stampSites(stamping, rehearsed.done.seal, INES);
		});
	}
}
interface DemoPattern {
	readonly customer: string;
	readonly name: string;
	readonly note: string;
	readonly places: readonly DemoPlace[];
	/** The sites that follow it; left out: all of the customer that no other pattern names. */
	readonly sites?: readonly string[];
}
interface DemoPlace {
	readonly name: string;
	readonly profile: string;
	/** The position of the customer to which its tunnel leads. */
	readonly tunnel?: string;
}
const hubsOfDemo = async (): Promise<ReadonlyMap<string, string>> =>
	new Map(
		(
			await database()('position')
				.join('customer', 'customer.id', 'position.customer_id')
				.where({ 'position.name': HUB })
				.select('position.id', 'customer.name')
		).map(({ id, name }) => [`${name} ${HUB}`, id])
	);

/** Where Tobias does not work. */
const SOUTHFOLD = 'Southfold Physio';

