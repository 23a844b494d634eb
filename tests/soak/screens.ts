import { existsSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { chromium, type Browser, type Page } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGUMENTS } from '../../command/packages';
import type { Installation } from '../installation/installation';

/** What somebody leaves open for the day. */
const LEFT_OPEN = ['/', '/sites', '/units', '/arrivals'];
/** In whatever order they tell each other: what is open asks again a moment after something happened. */
const UP_TO_DATE_MS = 60_000;
const PAUSE_MS = 1_500;

/**
 * Pages that somebody left open in a browser, and a person who clicks from room to room in one tab, while things end and come
 * back. At rest each shows what it shows when it is opened anew.
 */
export class Screens {
	readonly #open: Page[] = [];
	#goesOn = true;
	#walk: Promise<void> = Promise.resolve();
	/** Rooms that the person came to, and how often a page had to be loaded anew because the application was away. */
	came = 0;
	reloaded = 0;

	private constructor(
		private readonly here: Installation,
		private readonly browser: Browser,
		private readonly cookie: string,
		private readonly chance: () => number
	) {}

	/** Null where there is no Chromium. */
	static async open(here: Installation, cookie: string, chance: () => number): Promise<Screens | null> {
		if (!existsSync(CHROMIUM)) return null;
		const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
		const screens = new Screens(here, browser, cookie, chance);
		for (const path of LEFT_OPEN) screens.#open.push(await screens.#pageAt(path));
		screens.#walk = screens.#walkAbout();
		return screens;
	}

	/** Each in a browser of its own: all tabs of one share six connections. */
	async #pageAt(path: string): Promise<Page> {
		const context = await this.browser.newContext({ viewport: { width: 1280, height: 800 } });
		const [name, value] = this.cookie.split('=') as [string, string];
		await context.addCookies([{ name, value, url: this.here.url('/') }]);
		const page = await context.newPage();
		await page.goto(this.here.url(path));
		await page.locator('main h1').first().waitFor();
		return page;
	}

	/** Clicks on one room after the other; loads the page anew where it could not be had, as a person does. */
	async #walkAbout(): Promise<void> {
		const page = await this.#pageAt('/');
		while (this.#goesOn) {
			const rooms = page.locator('nav a[href^="/"]:visible');
			const went = await rooms
				.nth(Math.floor(this.chance() * (await rooms.count().catch(() => 1))))
				.click({ timeout: 10_000 })
				.then(() => page.locator('main h1').first().waitFor({ timeout: 20_000 }))
				.then(
					() => true,
					() => false
				);
			if (went) this.came++;
			else {
				this.reloaded++;
				await page.goto(this.here.url('/')).catch(() => null);
			}
			await sleep(PAUSE_MS * this.chance());
		}
		await page.context().close();
	}

	async stop(): Promise<void> {
		this.#goesOn = false;
		await this.#walk;
	}

	/** What an open page shows that is not so. */
	async check(): Promise<string[]> {
		const faults: string[] = [];
		for (const page of this.#open) {
			const path = new URL(page.url()).pathname;
			const fresh = await this.#pageAt(path);
			const other = await otherThan(page, fresh, Date.now() + UP_TO_DATE_MS);
			if (other) faults.push(`${path} was left open and shows ${other}`);
			await fresh.context().close();
		}
		return faults;
	}

	close = (): Promise<void> => this.browser.close();
}

/** The first words that an open page shows otherwise than one that is loaded anew, if they still do so at a time. */
async function otherThan(page: Page, fresh: Page, until: number): Promise<string | null> {
	for (;;) {
		const [shown, is] = await Promise.all([wordsOf(page), wordsOf(fresh)]);
		if (shown === is) return null;
		if (Date.now() > until) return firstOther(shown, is);
		await sleep(1_000);
		await fresh.reload();
		await fresh.locator('main h1').first().waitFor();
	}
}

/** How long ago something was goes on by itself. */
const AGO = /\b\d+ ?(?:s|min|h|seconds?|minutes?|hours?)\b/g;
/** Where there is no page any more, whatever else stands there. */
const wordsOf = async (page: Page): Promise<string> => {
	const main = page.locator('main').first();
	const words = (await main.count()) > 0 ? main : page.locator('body');
	return (await words.innerText()).replace(AGO, '#');
};

function firstOther(shown: string, is: string): string {
	const [lines, others] = [shown.split('\n'), is.split('\n')];
	const at = lines.findIndex((line, index) => line !== others[index]);
	return at < 0
		? `nothing of “${others[lines.length]}”`
		: `“${lines[at]}” instead of “${others[at] ?? 'nothing'}”`;
}
