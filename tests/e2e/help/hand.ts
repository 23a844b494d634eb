import { readFileSync } from 'node:fs';
import { expect, type Locator, type Page } from '@playwright/test';

/**
 * What common work costs a hand: taps and keystrokes, counted as they are made. The table in
 * docs/stopwatch.md says the same numbers, or this fails.
 */
export class Hand {
	taps = 0;
	keys = 0;
	constructor(readonly page: Page) {}

	async tap(target: Locator): Promise<void> {
		this.taps++;
		await target.click();
	}
	/** A choice out of a list: opened and chosen. */
	async choose(target: Locator, label: string): Promise<void> {
		this.taps += 2;
		await target.selectOption({ label });
	}
	async type(text: string): Promise<void> {
		this.keys += text.length;
		// As fast as a person: faster is taken for a scanner
		await this.page.keyboard.type(text, { delay: 60 });
	}
	async press(key: string): Promise<void> {
		this.keys++;
		await this.page.keyboard.press(key);
	}
	/** Ctrl+V. */
	async paste(target: Locator, text: string): Promise<void> {
		this.keys++;
		await target.fill(text);
	}
	/** A file or a photo: what the device's own dialog or camera asks for besides is not counted. */
	async give(target: Locator, file: Parameters<Locator['setInputFiles']>[0]): Promise<void> {
		this.taps++;
		await target.setInputFiles(file);
	}
}

const TABLE = readFileSync('docs/stopwatch.md', 'utf8');
export function agrees(work: string, { taps, keys }: Hand): void {
	const row = TABLE.split('\n').find((line) => line.includes(`| ${work} |`));
	expect(row, `docs/stopwatch.md has no row “${work}”`).toBeTruthy();
	const [, , said, saidKeys] = row!.split('|').map((cell) => cell.trim());
	expect([Number(said), Number(saidKeys)], work).toEqual([taps, keys]);
}
