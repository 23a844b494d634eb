import { checkCharacter } from '../../src/core/intake';
import type { Installation } from './installation';

/** An administrator's session in an installation that has just been started, and a customer of the demo's plan that is in it. */
export async function planted(here: Installation): Promise<{ cookie: string; customerId: string }> {
	const cookie = await here.firstAdministrator();
	return { cookie, customerId: here.run('tests/installation/plant.ts').stdout.trim() };
}

/** A token for a program that may do these acts for a customer. */
export async function tokenFor(
	here: Installation,
	cookie: string,
	customerId: string,
	acts: readonly string[]
): Promise<string> {
	const fields = new URLSearchParams({ name: 'a program of the tests', days: '1', customer: customerId });
	for (const act of acts) fields.append('act', act);
	const page = await here.form('/people?/token', fields, cookie);
	return /limen_[\w-]{43}/.exec(await page.text())![0];
}

/** How a program with a token asks the API. */
export const program =
	(here: Installation, token: string) =>
	(method: string, path: string, body?: object, headers: Record<string, string> = {}): Promise<Response> =>
		fetch(here.url(`/api/v1${path}`), {
			method,
			headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...headers },
			body: body ? JSON.stringify(body) : null
		});

/** What is printed on the gateway of a number. */
export function labelOf(number: number): { serial: string; claimCode: string } {
	const body = `OG2K${String(number).padStart(7, '0')}`;
	return {
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		claimCode: `KILL${String(number).padStart(7, '0')}`
	};
}
/** Labels as they are pasted: one a line. */
export const listOfLabels = (from: number, count: number): string =>
	Array.from({ length: count }, (_, index) => labelOf(from + index))
		.map(({ serial, claimCode }) => `${serial},,${claimCode}`)
		.join('\n');
