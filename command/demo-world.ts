import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { Readable } from 'node:stream';
import Papa from 'papaparse';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { database, runAs } from '../src/lib/server/database';
import { findImage, setImageState, uploadImage } from '../src/lib/server/firmware';
import { claimBatch, useRegistries, type RegistryPlace } from '../src/lib/server/intake';
import { bindUnit } from '../src/lib/server/binding';
import { loadPack } from '../src/lib/server/packs';
import { hashPassword } from '../src/lib/server/people/passwords';
import {
	createPool,
	customers,
	importPlan,
	planSchema,
	tryStamping,
	savePattern,
	stampSites
} from '../src/lib/server/plan';
import { keepCohort } from '../src/lib/server/cohorts';
import { saveRule } from '../src/lib/server/secrets';
import { saveWindowRule } from '../src/lib/server/windows';
import { windowRuleSchema } from '../src/core/windows';

/**
 * The demo's world, read from the open files under demo/ and brought in by the application's own acts.
 * Each act leaves alone what is there already, so loading again adds nothing.
 */
const file = (name: string) => readFileSync(new URL(`../demo/${name}`, import.meta.url), 'utf8');
const rows = (name: string) =>
	Papa.parse<Record<string, string>>(file(name), { header: true, skipEmptyLines: true }).data;
const INES = { name: 'Ines Okafor', address: null, may: () => true };
const MAREN = { name: 'Maren Aldous', address: null, may: () => true };

/** The packs of the demo's makers, in the order of their files; one that is in use already is left alone. */
async function loadPacks(): Promise<void> {
	for (const name of readdirSync(new URL('../demo/packs/', import.meta.url)).sort()) {
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

/** The demo's people, all with the same password: nothing here is anybody's. Those who are there stay as they are. */
export const DEMO_PASSWORD = 'sallowfield demo only';

export async function loadPeople(): Promise<void> {
	const people = JSON.parse(file('people.json')) as {
		name: string;
		email: string;
		duty: string;
		customers: string[];
		/** Which letters of sites they want. */
		letters?: object;
	}[];
	const passwordHash = await hashPassword(DEMO_PASSWORD);
	await database().transaction(async (trx) => {
		for (const { name, email, duty, customers, letters } of people) {
			const id = uuid();
			const made = await trx('person')
				.insert({ id, name, email, administrator: duty === 'administrator', password_hash: passwordHash })
				.onConflict(trx.raw('(lower(email))'))
				.ignore()
				.returning('id');
			if (made.length > 0 && letters) await trx('letter_wish').insert({ person_id: id, ...letters });
			if (made.length === 0 || customers.length === 0) continue;
			await trx.raw(
				'insert into membership (person_id, customer_id, duty) select ?, id, ? from customer where name = any(?::text[])',
				[id, duty, customers]
			);
		}
	});
}

/** What the groups of the demo's identity provider may do. */
export async function loadGroups(): Promise<void> {
	for (const { group, duty, customers: names } of JSON.parse(file('groups.json')) as {
		group: string;
		duty: string;
		customers: string[];
	}[])
		await database().raw(
			'insert into firm_group (id, name, customer_id, duty) select gen_random_uuid(), ?, id, ? from customer where name = any(?::text[])',
			[group, duty, names]
		);
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
const HUB = 'hub-1';
const hubSites = new Set(rows('positions.csv').flatMap((row) => (row.position === HUB ? [row.site] : [])));
export const hubSerials: readonly string[] = rows('bindings.csv').flatMap(({ position, serial }) =>
	position === HUB ? [serial!] : []
);
const isHubSite = (row: Record<string, string>): boolean => hubSites.has(row.site);

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

/** Made-up firmware: as many octets as the file says, always the same ones. */
export async function loadImages(): Promise<void> {
	for (const { firmwareLine, version, bytes, notes = '' } of JSON.parse(file('images.json')) as {
		firmwareLine: string;
		version: string;
		bytes: number;
		notes?: string;
	}[]) {
		if (await findImage(firmwareLine, version)) continue;
		const content = Readable.from([madeUpOctets(`${firmwareLine} ${version}`, bytes)]);
		const uploaded = await uploadImage(
			{ firmwareLine, version, fileName: `${firmwareLine}-${version}.bin`, content },
			MAREN
		);
		if (uploaded.ok && notes !== '')
			await setImageState({ image: uploaded.done.id, edit: 0, state: 'allowed', reason: '', notes }, MAREN);
	}
}

function madeUpOctets(seed: string, bytes: number): Uint8Array<ArrayBuffer> {
	const octets = new Uint8Array(bytes);
	for (let block = 0; block * 32 < bytes; block++)
		octets.set(
			createHash('sha256')
				.update(`${seed} ${block}`)
				.digest()
				.subarray(0, bytes - block * 32),
			block * 32
		);
	return octets;
}

/** Claims the customers' units and binds those that have a place; the makers' registries are asked once somebody goes on with it. */
export async function loadUnits(registries: readonly RegistryPlace[]): Promise<void> {
	useRegistries(registries);
	for (const { id, lines } of await claimed()) await claimBatch(id, lines, INES);
	await bindAll(rows('bindings.csv'));
}

/** Claims and binds the hubs alone: all the rest leads to them. */
export async function loadHubs(registries: readonly RegistryPlace[]): Promise<void> {
	useRegistries(registries);
	for (const { id, lines } of await claimed()) {
		const hubs = lines
			.split('\n')
			.filter((line, index) => index === 0 || hubSerials.some((serial) => line.startsWith(serial)));
		await claimBatch(id, hubs.join('\n'), INES);
	}
	await bindAll(rows('bindings.csv').filter(({ position }) => position === HUB));
}

/** The units of each customer; one whose network is yet to be taken on has none. */
const claimed = async (): Promise<readonly { readonly id: string; readonly lines: string }[]> =>
	(await customers()).flatMap(({ id, name }) => {
		const list = `claimed-${name.toLowerCase().replace(/[^a-z]+/g, '-')}.csv`;
		return existsSync(new URL(`../demo/${list}`, import.meta.url)) ? [{ id, lines: file(list) }] : [];
	});

async function bindAll(bindings: readonly Record<string, string>[]): Promise<void> {
	const { rows: places } = await database().raw(
		`select unit.id as unit_id, position.id as position_id
		from jsonb_to_recordset(?::jsonb) as wanted(serial text, customer text, site text, position text)
		join customer on customer.name = wanted.customer join site on site.customer_id = customer.id and site.name = wanted.site
		join position on position.site_id = site.id and position.name = wanted.position
		join unit on unit.serial = wanted.serial and unit.customer_id = customer.id`,
		[JSON.stringify(bindings)]
	);
	for (const { position_id, unit_id } of places) await bindUnit(position_id, unit_id, INES);
}

/** How long the steps of the last four weeks' runs took, as if Limen had been there: what is normal is learnt from them. */
export async function loadHistory(): Promise<void> {
	const history = rows('durations.csv').flatMap(
		({ model, uplink, step, from, to, seconds = '', 'broken off after': broken = '' }) =>
			[
				{ list: seconds, ended: true },
				{ list: broken, ended: false }
			].flatMap(({ list, ended }) =>
				list
					.split(' ')
					.filter(Boolean)
					.map((one) => ({ model, uplink, step, from, to, seconds: Number(one), ended }))
			)
	);
	const given = `rows from (jsonb_to_recordset(:history::jsonb) as (model text, uplink text, step text, "from" text, "to" text, seconds float8, ended boolean))
		with ordinality as h(model, uplink, step, "from", "to", seconds, ended, place) join model on model.id = h.model
		cross join lateral (select case when "from" = '' then 0 else (select round(log(2, bytes)) from image
			where firmware_line = model.firmware_line and version = "to") end::smallint as image_size) sized`;
	const values = { history: JSON.stringify(history) };
	await database().raw(
		`insert into step_group (step, model_id, uplink, from_version, to_version, image_size)
		select distinct step, model, uplink, "from", "to", image_size from ${given} on conflict do nothing`,
		values
	);
	await database().raw(
		`insert into step_time (group_id, customer_id, began_at, seconds, has_ended)
		select g.id, (select id from customer order by name limit 1), now() - make_interval(hours => (place % 672)::int), h.seconds, ended
		from ${given} join step_group g on (g.step, g.model_id, g.uplink, g.from_version, g.to_version, g.image_size)
			= (h.step, h.model, h.uplink, "from", "to", sized.image_size)
		where not exists (select from step_time where run_id is null) order by place`,
		values
	);
}
