import { expect, type Browser, type Page } from '@playwright/test';
import pg from 'pg';
import { DEMO_PASSWORD } from '../../../command/demo/password';
import { visit } from './yard';

export { DEMO_PASSWORD };
export const NOBODY = { cookies: [], origins: [] };

/** A browser of their own in which one of the demo's people has come in. */
export async function signedInAs(
	browser: Browser,
	name: string,
	size?: { width: number; height: number }
): Promise<Page> {
	const context = await browser.newContext({ storageState: NOBODY, ...(size && { viewport: size }) });
	const page = await context.newPage();
	await visit(page, '/sign-in');
	await page.getByRole('button', { name }).click();
	// The list of people names them as well; on a phone their name is folded away
	await expect(page.getByRole('heading', { level: 1, name: 'Sign in' })).toHaveCount(0);
	await expect(page.getByText(name).first()).toBeAttached();
	return page;
}

/** As if everybody had signed in a while ago: nothing but time brings that about. */
export async function letConfirmationsPass(): Promise<void> {
	const client = new pg.Client({ connectionString: process.env.LIMEN_DATABASE_URL });
	await client.connect();
	await client.query(`update session set confirmed_at = now() - interval '1 hour'`);
	await client.end();
}

interface Letter {
	readonly to: string;
	readonly subject: string;
	readonly text: string;
	readonly number: number;
	readonly attached: readonly string[];
}

/** The newest letter to an address, once it has arrived at the demo's mail server. */
export async function letterTo(address: string): Promise<Letter> {
	const find = async () =>
		(
			(await fetch(`http://127.0.0.1:${process.env.LIMEN_YARD_PORT}/letters`, {
				headers: { accept: 'application/json' }
			}).then((answer) => answer.json())) as Letter[]
		).find(({ to }) => to === address);
	await expect.poll(find).toBeTruthy();
	return (await find())!;
}

export const linkIn = ({ text }: Letter): string => new URL(/https?:\/\/\S+/.exec(text)![0]).pathname;
