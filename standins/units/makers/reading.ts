import { NotUnderstood, type Format, type Statement } from '../configuration/configuration';
import type { Account, Home } from './maker';

export const find = (statements: readonly Statement[], word: string): Statement | undefined =>
	statements.find((one) => one.word === word);
export const all = (statements: readonly Statement[], word: string): readonly Statement[] =>
	statements.filter((one) => one.word === word);
export const unquoted = (text: string): string =>
	text.startsWith('"') ? (JSON.parse(text) as string) : text;

export const valueOf = (statement: Statement | undefined, word: string): string | undefined => {
	const value = statement && find(statement.inside, word)?.value;
	return value === undefined ? undefined : unquoted(value);
};

export const homeOf = (
	home: Statement | undefined,
	keeper: Statement | undefined,
	user: string | undefined,
	key: string,
	accounts: readonly Account[] = []
): Home | null => {
	const host = home && find(home.inside, 'host')?.value;
	const port = home && find(home.inside, 'port')?.value;
	const publicKey = keeper && find(keeper.inside, key)?.value;
	return host && port && publicKey && user
		? {
				host: unquoted(host),
				port: Number(port),
				user: unquoted(user),
				key: unquoted(publicKey),
				accounts
			}
		: null;
};
export const said = (statements: readonly Statement[], word: string): string =>
	unquoted(find(statements, word)?.value ?? '');
export const accountsOf = (accounts: readonly Statement[]): readonly Account[] =>
	accounts.map((account) => ({ user: unquoted(account.value), password: valueOf(account, 'secret') ?? '' }));

/** Devices print in an order of their own: reversed wherever order means nothing. */
function inOwnOrder(statements: readonly Statement[], ordered: ReadonlySet<string>): Statement[] {
	return [...statements]
		.reverse()
		.map((one) =>
			one.kind === 'list' || ordered.has(one.word) ? one : { ...one, inside: inOwnOrder(one.inside, ordered) }
		);
}

export function printed(
	configuration: string,
	{ read, print }: Format,
	ordered: ReadonlySet<string>
): string {
	try {
		return print(inOwnOrder(read(configuration), ordered));
	} catch (error) {
		if (error instanceof NotUnderstood) return configuration;
		throw error;
	}
}
