import { chromium } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGUMENTS, needChromium } from '../../command/packages';
import { startApplication } from '../../command/limen';
import { allot, emptySpace, parsePrefix, subnetOf, take } from '../../src/core/address';
import { database, runAs } from '../../src/lib/server/database';
import {
	createPart,
	createProfile,
	EMPTY_DRAFT,
	impactOf,
	releasePart,
	releaseProfile,
	renderingSources,
	renderPosition,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	saveProfile
} from '../../src/lib/server/profile';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { fluency, longestTask } from '../trace';
import { administratorSession, customerWithRuns, inTurns, median, type Figure } from '../world';

const ACTOR = { name: 'bench', address: null, may: () => true };
const TURNS = 5;
const must = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};

/** Blocks out of a pool of which every other one is in use: few against many, per block. */
export async function benchAllotment(): Promise<Figure[]> {
	const [FEW, MANY] = [200, 20_000];
	const whole = parsePrefix('10.0.0.0/8')!;
	let space = emptySpace(whole);
	for (let n = 0n; n < 65_536n; n += 2n) space = take(space, subnetOf(whole, 24, n)!);
	const work = (count: number) => () => {
		if (allot(space, 24, count).missing > 0) throw new Error('The pool is too small.');
	};
	work(MANY)();
	// As many blocks in both: the few again and again
	const few = () => {
		for (let turn = 0; turn < MANY / FEW; turn++) work(FEW)();
	};
	const { baseline, measured, ratio } = await inTurns(TURNS, few, work(MANY));
	const each = (milliseconds: number) => `${((milliseconds / MANY) * 1000).toFixed(1)} µs each`;
	return [
		{
			name: `Allotting ${MANY} blocks from a fragmented pool`,
			measured: each(measured),
			baseline: `${each(baseline)} when ${FEW} are allotted`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at most 2 ×',
			held: ratio <= 2
		}
	];
}

const ROUND = 400;

/** What a release would change at ten thousand positions, against rendering each of them twice. */
export async function benchImpact(): Promise<Figure[]> {
	const COUNT = 10_000;
	await customerWithRuns('Impact', COUNT);
	const profile = await database()('profile')
		.where({ name: 'Clinic gateway' })
		.first('id', 'released_revision_id as revision');
	const released = (await revisionsById(database(), [profile.revision])).get(profile.revision)!;
	const session = await administratorSession();
	const { id: personId } = await database()('person')
		.where({ name: 'Bench' })
		.orderBy('id', 'desc')
		.first('id');
	const ids: string[] = await database()('position').where({ profile_id: profile.id }).pluck('id');
	let edit = 0;
	const draft = async () => {
		const parts = released.parts.map(({ revisionId }) => revisionId);
		const values = { ...released.values, lan_label: `changed ${edit}` };
		const saved = await saveProfile(profile.id, edit, { ...released, parts, values }, ACTOR);
		if (!saved.ok) throw new Error(saved.problem);
		edit = saved.done.edit;
		const row = (await revisionsOf(profile.id)).find(({ state }) => state === 'draft')!;
		return (await revisionsById(database(), [row.id])).get(row.id)!;
	};
	let revision = await draft();
	const twice = async () => {
		for (let from = 0; from < ids.length; from += ROUND) {
			const round = ids.slice(from, from + ROUND);
			for (const instead of [undefined, new Map([[profile.id as string, revision.id]])]) {
				const sources = await renderingSources(database(), round, instead ? { revisions: instead } : {});
				for (const source of sources.values()) renderPosition(source);
			}
		}
	};
	const impact = async () => {
		revision = await draft();
		for (;;) {
			const found = await impactOf(revision, personId);
			if (found.state === 'failed') throw new Error('The impact could not be computed.');
			if (found.state === 'done') return;
			await new Promise((resolve) => setTimeout(resolve, 5));
		}
	};
	const asPerson = (work: () => Promise<void>) => () => runAs({ kind: 'person', personId }, work);
	await asPerson(twice)();
	await asPerson(impact)();
	const { baseline, measured, ratio } = await inTurns(TURNS, asPerson(twice), asPerson(impact));
	await draft();
	const longest = await longestTaskOfRelease(profile.id, session);
	return [
		{
			name: `What a release changes at ${ids.length} positions`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms (rendering them twice)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at most 1.3 ×',
			held: ratio <= 1.3
		},
		fluency('Its page meanwhile, until it is shown: longest task', longest)
	];
}

const FIELDS = 20;

/** The longest task of the release page from when it answers until the impact is shown, in milliseconds. */
async function longestTaskOfRelease(profileId: string, session: string): Promise<number> {
	needChromium();
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
	try {
		const base = publicUrl(currentSettings());
		const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
		await context.addCookies([{ name: 'limen_session', value: session, url: base }]);
		const page = await context.newPage();
		await page.goto(`${base}/profiles/${profileId}/release`);
		await page.waitForSelector('html[data-ready="yes"]');
		return await longestTask(browser, page, () => page.getByTestId('impact').waitFor({ timeout: 300_000 }));
	} finally {
		await browser.close();
		application.kill('SIGTERM');
	}
}

/** A profile that asks for twenty values a site, and so many positions that follow it. */
async function sheetOf(positions: number): Promise<string> {
	const names = Array.from({ length: FIELDS }, (_, index) => `value_${index}`);
	const fields = names.map((name) => ({
		...{ name, type: { kind: 'number' as const }, description: 'of the bench', example: '1' },
		...{ need: 'required' as const, scope: 'position' as const }
	}));
	const text = names.map((name) => `set {{ ${name} }};\n`).join('');
	const part = must(
		await createPart({ name: `Bench part ${positions}`, summary: '', texts: { braced: text }, fields }, ACTOR)
	);
	must(await releasePart(part.id, 1, 'bench', ACTOR));
	const draft = {
		...EMPTY_DRAFT,
		parts: [(await revisionsOfPart(part.id))[0]!.id]
	};
	const profile = must(
		await createProfile({ name: `Bench sheet ${positions}`, role: 'gateway', draft }, ACTOR)
	);
	must(await releaseProfile(profile.id, 1, 'bench', false, ACTOR));
	await database().raw(
		`with customer as (insert into customer (id, name) values (gen_random_uuid(), ?) returning id),
			sites as (
				insert into site (id, customer_id, name, time_zone, uplink)
				select gen_random_uuid(), customer.id, 'Sheet ' || lpad(n::text, 5, '0'), 'Pacific/Auckland', 'fibre' from customer, generate_series(1, ?::int) n
				returning id, customer_id
			)
		insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
		select gen_random_uuid(), id, customer_id, 'gw-1', 'gateway', ?, ?::jsonb from sites`,
		[
			`Sheet ${positions}`,
			positions,
			profile.id,
			JSON.stringify(Object.fromEntries(names.map((name, index) => [name, index])))
		]
	);
	return profile.id;
}

/** From asking for the page to a cell that is being typed into. */
export async function benchSheet(): Promise<Figure[]> {
	needChromium();
	const [FEW, MANY, LOADS] = [50, 5_000, 9];
	const [few, many] = [await sheetOf(FEW), await sheetOf(MANY)];
	await database().raw('select 1');
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
	try {
		const base = publicUrl(currentSettings());
		const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
		await context.addCookies([{ name: 'limen_session', value: await administratorSession(), url: base }]);
		const page = await context.newPage();
		const load = async (profile: string) => {
			const start = performance.now();
			await page.goto(`${base}/values?profile=${profile}`, { waitUntil: 'commit' });
			await page.waitForSelector('html[data-ready="yes"]');
			await page.locator('#cell-0-0').click();
			await page.keyboard.type('7');
			await page.waitForSelector('#cell-0-0 input');
			const time = performance.now() - start;
			await page.keyboard.press('Escape');
			return time;
		};
		await load(few);
		await load(many);
		const pairs: [number, number][] = [];
		for (let turn = 0; turn < LOADS; turn++) pairs.push([await load(few), await load(many)]);
		const ratio = median(pairs.map(([one, other]) => other / one));
		// All rows have arrived: the longest task while going through them
		await page.waitForFunction(() => document.querySelector('[role="grid"]')!.scrollHeight > 5_000 * 34);
		const longest = await longestTask(browser, page, () =>
			page.evaluate(async () => {
				const grid = document.querySelector('[role="grid"]')!;
				for (let step = 0; step < 120; step++) {
					grid.scrollTop += 1_200;
					await new Promise(requestAnimationFrame);
				}
			})
		);
		return [
			{
				name: `Value sheet of ${MANY} positions by ${FIELDS} fields, first cell typed into`,
				measured: `${median(pairs.map(([, other]) => other)).toFixed(0)} ms`,
				baseline: `${median(pairs.map(([one]) => one)).toFixed(0)} ms (${FEW} positions)`,
				result: `${ratio.toFixed(2)} ×`,
				wanted: 'at most 1.5 ×',
				held: ratio <= 1.5
			},
			fluency('The same sheet gone through from top to bottom: longest task of the page', longest)
		];
	} finally {
		await browser.close();
		application.kill('SIGTERM');
	}
}
