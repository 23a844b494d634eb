import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { database, timeNow } from '../../database';
import { notify } from '../../live';
import type { SignedIn } from '../actor';
import { newToken, tokenHash } from './chance';

/** A session ends after a week whatever happens; idle, after twelve hours (the database holds that). */
const LONGEST_MS = 7 * 24 * 3_600_000;

export interface From {
	readonly address: string;
	/** The browser's own name for itself. */
	readonly device: string;
}

/** Where a request comes from. */
export const fromOf = ({
	request,
	getClientAddress
}: {
	readonly request: Request;
	getClientAddress(): string;
}): From => ({
	address: getClientAddress(),
	device: request.headers.get('user-agent') ?? ''
});

/** Begins a session; the token is for the cookie and is not kept. `shownAt`: when they showed who they are. */
export async function beginSession(
	trx: Knex,
	personId: string,
	from: From,
	{
		longestMs = LONGEST_MS,
		shownAt = new Date(timeNow())
	}: { readonly longestMs?: number; readonly shownAt?: Date } = {}
): Promise<string> {
	const token = newToken();
	await trx('session').insert({
		id: uuid(),
		token_hash: tokenHash(token),
		person_id: personId,
		device: deviceName(from.device),
		address: from.address,
		confirmed_at: shownAt,
		ends_at: new Date(timeNow() + longestMs)
	});
	return token;
}

/** Who holds this session; null when it has ended, was revoked or never was. */
export async function whoHolds(token: string): Promise<SignedIn | null> {
	const { rows } = await database().raw('select * from limen_session(?)', [tokenHash(token)]);
	const [found] = rows;
	return found
		? {
				id: found.person_id,
				name: found.name,
				email: found.email,
				administrator: found.administrator,
				duties: found.duties,
				sessionId: found.session_id,
				confirmedAt: found.confirmed_at.getTime()
			}
		: null;
}

export interface SessionRow {
	readonly id: string;
	readonly device: string;
	readonly address: string;
	readonly createdAt: Date;
	readonly lastUsedAt: Date;
	/** Whether it is the one that asks. */
	readonly own: boolean;
}

/** A person's sessions that could still be used, the newest use first. */
export const sessionsOf = (personId: string, ownId: string): Promise<SessionRow[]> =>
	database()('session')
		.where({ person_id: personId })
		.whereNull('revoked_at')
		.whereRaw(`ends_at > now() and last_used_at > now() - interval '12 hours'`)
		.orderBy('last_used_at', 'desc')
		.select(
			'id',
			'device',
			database().raw('host(address) as address'),
			'created_at as createdAt',
			'last_used_at as lastUsedAt',
			database().raw('id = ? as own', [ownId])
		);

/** Ends sessions at once, everywhere: their next request is refused and their open streams are closed. */
export async function revokeSessions(
	trx: Knex,
	which: { readonly id: string } | { readonly person_id: string },
	except?: string
): Promise<number> {
	const query = trx('session').where(which).whereNull('revoked_at');
	if (except) query.whereNot({ id: except });
	const ended = (await query.update({ revoked_at: trx.fn.now() }).returning('id')) as { id: string }[];
	if (ended.length > 0)
		await notify(
			trx,
			'access',
			null,
			ended.map(({ id }) => id)
		);
	return ended.length;
}

const BROWSERS: readonly [RegExp, string][] = [
	[/Edg\//, 'Edge'],
	[/Firefox\//, 'Firefox'],
	[/Chrom(e|ium)\//, 'Chromium or Chrome'],
	[/Safari\//, 'Safari'],
	[/curl\//, 'curl']
];
const SYSTEMS: readonly [RegExp, string][] = [
	[/Android/, 'Android'],
	[/iPhone|iPad/, 'iOS'],
	[/Windows/, 'Windows'],
	[/Mac OS X/, 'macOS'],
	[/Linux/, 'Linux']
];

/** What a person recognises their device by. */
function deviceName(agent: string): string {
	const named = (list: readonly [RegExp, string][]) => list.find(([form]) => form.test(agent))?.[1];
	return [named(BROWSERS) ?? 'A program', named(SYSTEMS)].filter(Boolean).join(' on ');
}
