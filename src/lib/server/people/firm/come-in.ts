import * as client from 'openid-client';
import * as v from 'valibot';
import { dutiesOfGroups, groupsIn } from '../../../../core/people';
import { cleanText } from '../../../../core/text';
import { database, isRefusal, runAs, SIGN_IN, timeNow } from '../../database';
import { seal, unseal } from '../../keys';
import { enterInLedger } from '../../ledger';
import { log } from '../../log';
import { currentSettings } from '../../settings';
import { beginSession, type From } from '../coming-in/sessions';
import { aboutPerson, actorFor } from '../coming-in/sign-in';
import { answered, configuration, firmCallback, forgetProvider, ProviderAway } from './provider';
import { giveWhatGroupsSay, personOf, type Firmly } from './person';
import { refused, type FirmRefusal, type Refused } from './refusals';

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
		const underWay = { state, nonce, verifier, back, session, at: timeNow() };
		return { ok: true, url: url.href, kept: seal(JSON.stringify(underWay)) };
	} catch (error) {
		return whyNot(error);
	}
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
		return timeNow() - read.at < LONGEST_MS ? read : null;
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
