import * as client from 'openid-client';
import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { dutiesOfGroups, groupsIn, type Duty } from '../../../../core/people';
import { cleanText } from '../../../../core/text';
import { database, isRefusal, runAs, SIGN_IN } from '../../database';
import { seal, unseal } from '../../keys';
import { enterInLedger } from '../../ledger';
import { notify } from '../../live';
import { log } from '../../log';
import { currentSettings } from '../../settings';
import { beginSession, type From } from '../sessions';
import { aboutPerson, actorFor } from '../sign-in';
import { answered, configuration, firmCallback, forgetProvider, ProviderAway } from './provider';

/** Why somebody did not come in through the firm; the page that they come back to has the words. */
export const FIRM_REFUSALS = {
	away: 'The firm’s sign-in does not answer as it should. Come in with a password of your own, or try again later.',
	stopped: 'The firm’s sign-in did not let you in.',
	stale: 'That took too long, or was begun in another window. Try again.',
	untrue:
		'What the firm’s sign-in said could not be trusted. Try again; if it happens again, tell an administrator.',
	nothing: 'The firm knows you, but none of your groups may do anything here. Ask an administrator of Limen.',
	nameless: 'The firm’s sign-in did not tell your e-mail address, or not as one that is checked.',
	shut: 'You were shut out here. Ask an administrator.',
	other: 'That was somebody else. Confirm as the person who is signed in here.'
} as const;
export type FirmRefusal = keyof typeof FIRM_REFUSALS;
/** `back`: where they wanted to go, where that is known. */
type Refused = { readonly ok: false; readonly why: FirmRefusal; readonly back?: string };
const refused = (why: FirmRefusal): Refused => ({ ok: false, why });

/** What a browser keeps, sealed, while somebody is at the provider. */
const underWaySchema = v.object({
	state: v.string(),
	nonce: v.string(),
	verifier: v.string(),
	back: v.string(),
	/** The session on which it is confirmed who they are; null: they come in. */
	session: v.nullable(v.string()),
	at: v.number()
});
const LONGEST_MS = 10 * 60_000;
/** A session that came from the firm ends after a working day: whoever leaves the firm is not here for long. */
const FIRM_SESSION_MS = 12 * 3_600_000;

/**
 * Sends somebody to the provider (OpenID Connect Core 1.0, the code flow with PKCE): where to, and what their browser keeps
 * until they are back. `session`: they are signed in, and only show again who they are. `anew`: whoever the provider has in
 * mind from before is not wanted.
 */
export async function beginAtFirm(
	back: string,
	session: string | null,
	anew = session !== null
): Promise<{ readonly ok: true; readonly url: string; readonly kept: string } | Refused> {
	try {
		const provider = await configuration();
		const verifier = client.randomPKCECodeVerifier();
		const [state, nonce] = [client.randomState(), client.randomNonce()];
		const url = client.buildAuthorizationUrl(provider, {
			redirect_uri: firmCallback(),
			scope: currentSettings().LIMEN_OIDC_SCOPES,
			code_challenge: await client.calculatePKCECodeChallenge(verifier),
			code_challenge_method: 'S256',
			state,
			nonce,
			...(session !== null && { max_age: '0' }),
			...(anew && { prompt: 'login' })
		});
		const underWay = { state, nonce, verifier, back, session, at: Date.now() };
		return { ok: true, url: url.href, kept: seal(JSON.stringify(underWay)) };
	} catch (error) {
		return whyNot(error);
	}
}

/** What is known of somebody who came from the provider. */
interface Firmly {
	readonly subject: string;
	readonly email: string | null;
	readonly name: string;
	readonly groups: readonly string[];
	/** When they last showed there who they are. */
	readonly shownAt: number;
}

/**
 * Somebody is back from the provider. Lets them in with what their groups may do, or notes on their session that it is them.
 * Nothing of what the browser brings is believed: the code is turned in for claims that the provider signed, for this
 * client, for what this browser began.
 */
export async function backFromFirm(
	address: URL,
	kept: string | undefined,
	from: From
): Promise<{ readonly ok: true; readonly token: string | null; readonly back: string } | Refused> {
	const underWay = readUnderWay(kept);
	if (!underWay) return refused('stale');
	const { session, back } = underWay;
	let told: Firmly;
	try {
		told = await claimsOf(address, underWay);
	} catch (error) {
		return { ...whyNot(error), back };
	}
	return runAs(SIGN_IN, async () => {
		if (session !== null) return confirmed(told, session, underWay.at, back);
		return { ...(await comeIn(told, from)), back };
	});
}

function readUnderWay(kept: string | undefined): v.InferOutput<typeof underWaySchema> | null {
	if (!kept) return null;
	try {
		const read = v.parse(underWaySchema, JSON.parse(unseal(kept)));
		return Date.now() - read.at < LONGEST_MS ? read : null;
	} catch {
		// Made by somebody else, or sealed with a key that is gone
		return null;
	}
}

async function claimsOf(address: URL, underWay: v.InferOutput<typeof underWaySchema>): Promise<Firmly> {
	const provider = await configuration();
	const callback = new URL(firmCallback());
	callback.search = address.search;
	const tokens = await answered(() =>
		client.authorizationCodeGrant(provider, callback, {
			pkceCodeVerifier: underWay.verifier,
			expectedState: underWay.state,
			expectedNonce: underWay.nonce,
			idTokenExpected: true,
			...(underWay.session !== null && { maxAge: LONGEST_MS / 1000 })
		})
	);
	const signed = tokens.claims()!;
	const more = provider.serverMetadata().userinfo_endpoint
		? await answered(() => client.fetchUserInfo(provider, tokens.access_token, signed.sub))
		: {};
	const claims: Record<string, unknown> = { ...more, ...signed };
	const text = (name: string) =>
		typeof claims[name] === 'string'
			? cleanText(claims[name] as string)
					.trim()
					.slice(0, 254)
			: '';
	return {
		subject: `${signed.iss} ${signed.sub}`.slice(0, 800),
		email: claims.email_verified === true && text('email') !== '' ? text('email').toLowerCase() : null,
		name: (text('name') || text('preferred_username') || text('email')).slice(0, 120),
		groups: groupsIn(claims[currentSettings().LIMEN_OIDC_GROUPS_CLAIM]),
		shownAt: typeof signed.auth_time === 'number' ? signed.auth_time * 1000 : 0
	};
}

function whyNot(error: unknown): Refused {
	const words = error instanceof Error ? error.message : String(error);
	const why: FirmRefusal =
		error instanceof client.AuthorizationResponseError
			? 'stopped'
			: error instanceof ProviderAway
				? isUntrue(error)
					? 'untrue'
					: 'away'
				: error instanceof client.ResponseBodyError
					? 'untrue'
					: 'away';
	// Its keys or its addresses may have changed
	forgetProvider();
	log.warn({ why, error: words }, 'nobody came in through the firm');
	return refused(why);
}

/** An answer that came, and does not hold: a token of somebody else's, an old one, one that was changed. */
const UNTRUE = /^OAUTH_(JWT|JSON_ATTRIBUTE|INVALID_RESPONSE|KEY_SELECTION|PARSE_ERROR)/;
function isUntrue({ cause }: ProviderAway): boolean {
	const code = (cause as { code?: unknown } | undefined)?.code;
	return typeof code === 'string' && UNTRUE.test(code);
}

/** It is the same person as on the session, and they showed it just now. */
async function confirmed(
	{ subject, shownAt }: Firmly,
	session: string,
	begunAt: number,
	back: string
): Promise<{ readonly ok: true; readonly token: null; readonly back: string } | Refused> {
	const holder = await database()('session')
		.join('person', 'person.id', 'session.person_id')
		.where('session.id', session)
		.whereNull('revoked_at')
		.first('firm_subject');
	if (holder?.firm_subject !== subject) return refused('other');
	// Clocks of two machines differ a little
	if (shownAt < begunAt - 60_000) return refused('untrue');
	await database()('session').where({ id: session }).update({ confirmed_at: database().fn.now() });
	return { ok: true, token: null, back };
}

async function comeIn(
	told: Firmly,
	from: From
): Promise<{ readonly ok: true; readonly token: string } | Refused> {
	const mapped = await database()('firm_group').select({
		group: 'name',
		customerId: 'customer_id',
		duty: 'duty'
	});
	const given = dutiesOfGroups(told.groups, mapped);
	try {
		return await database().transaction(async (trx) => {
			const person = await personOf(trx, told, given);
			if (typeof person === 'string') return refused(person);
			if (person.disabled_at) return refused('shut');
			const may = await giveWhatGroupsSay(trx, person, given, from);
			if (!may) return refused('nothing');
			const token = await beginSession(trx, person.id, from, {
				longestMs: FIRM_SESSION_MS,
				shownAt: new Date(told.shownAt)
			});
			await enterInLedger(trx, actorFor(person, from), [
				aboutPerson(person, 'sign in', `${person.name} signed in through the firm.`)
			]);
			return { ok: true as const, token };
		});
	} catch (error) {
		// Two windows of one who is new
		if (isRefusal(error)) return refused('stale');
		throw error;
	}
}

interface Person {
	readonly id: string;
	readonly name: string;
	readonly administrator: boolean;
	readonly administrator_from_groups: boolean;
	readonly disabled_at: Date | null;
}
type Given = ReturnType<typeof dutiesOfGroups>;

/** Who it is: known from before, invited here under an address that the firm has checked, or new and with something to do here. */
async function personOf(
	trx: Knex,
	{ subject, email, name }: Firmly,
	given: Given
): Promise<Person | FirmRefusal> {
	const columns = ['id', 'name', 'administrator', 'administrator_from_groups', 'disabled_at'];
	const known = await trx('person').where({ firm_subject: subject }).forUpdate().first(columns);
	if (known) return known;
	if (email === null) return 'nameless';
	const invited = await trx('person')
		.whereRaw('lower(email) = ?', [email])
		.forUpdate()
		.first([...columns, 'firm_subject']);
	// Somebody else at the firm had this address before
	if (invited?.firm_subject) return 'other';
	if (invited) {
		await trx('person').where({ id: invited.id }).update({ firm_subject: subject });
		return invited;
	}
	if (!given.administrator && Object.keys(given.duties).length === 0) return 'nothing';
	const [made] = await trx('person')
		.insert({ id: uuid(), email, name: name || email, firm_subject: subject })
		.returning(columns);
	return made;
}

/**
 * What came with groups is what they say now; what was given here stays, whatever they say. False: nothing is left that they
 * may do.
 */
async function giveWhatGroupsSay(
	trx: Knex,
	person: Person,
	{ administrator, duties }: Given,
	from: From
): Promise<boolean> {
	const had: { customer_id: string; duty: Duty; from_groups: boolean }[] = await trx('membership')
		.where({ person_id: person.id })
		.select('customer_id', 'duty', 'from_groups');
	const own = new Set(had.filter((one) => !one.from_groups).map((one) => one.customer_id));
	const wanted = Object.entries(duties).filter(([customer]) => !own.has(customer));
	const before = Object.fromEntries(
		had.filter((one) => one.from_groups).map((one) => [one.customer_id, one.duty])
	);
	const isByGroups = administrator && (!person.administrator || person.administrator_from_groups);
	const isAdministrator = isByGroups || (person.administrator && !person.administrator_from_groups);
	const after = Object.fromEntries(wanted);
	const differs =
		JSON.stringify(Object.entries(before).sort()) !== JSON.stringify(Object.entries(after).sort()) ||
		isAdministrator !== person.administrator;
	if (differs) {
		await trx('membership').where({ person_id: person.id, from_groups: true }).delete();
		if (wanted.length > 0)
			await trx('membership').insert(
				wanted.map(([customer_id, duty]) => ({ person_id: person.id, customer_id, duty, from_groups: true }))
			);
		await trx('person')
			.where({ id: person.id })
			.update({ administrator: isAdministrator, administrator_from_groups: isByGroups });
		await notify(trx, 'access', null, [person.id]);
		await enterInLedger(trx, actorFor(person, from), [
			{
				...aboutPerson(person, 'set duties', `Duties of ${person.name} are what the firm’s groups say.`),
				before: { administrator: person.administrator, duties: before },
				after: { administrator: isAdministrator, duties: after }
			}
		]);
	}
	return isAdministrator || own.size + wanted.length > 0;
}
