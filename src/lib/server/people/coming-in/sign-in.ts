import { createHmac } from 'node:crypto';
import type { Knex } from 'knex';
import { cleanText } from '../../../../core/text';
import { done, refuse, type Act } from '../../act';
import { database, runAs, SIGN_IN } from '../../database';
import { keyedHash, sameHash } from '../../keys';
import { enterInLedger, LIMEN, type Actor } from '../../ledger';
import { countTry, forgetTries, uncountTry } from '../limits';
import { Busy, passwordHolds } from './passwords';
import { beginSession, revokeSessions, type From } from './sessions';
import { acceptCode } from './totp';

export interface Credentials {
	readonly email: string;
	readonly password: string;
	readonly code: string;
	/** What this browser was given when somebody signed in with it before. */
	readonly deviceMark: string | null;
}

export interface PersonRow {
	id: string;
	email: string;
	name: string;
	administrator: boolean;
	password_hash: string | null;
	totp_secret: string | null;
	totp_confirmed_at: Date | null;
	totp_last_step: string | null;
	disabled_at: Date | null;
}

export type SignInOutcome =
	| Act<{ readonly token: string; readonly deviceMark: string }>
	| { readonly ok: false; readonly problem: string; readonly needsCode: true };

const WRONG = 'The e-mail address or the password is wrong.';
const NEEDS_CODE = 'Type the six digits that your authenticator shows, or a recovery code.';

export const minutes = (seconds: number): string => {
	const count = Math.ceil(seconds / 60);
	return count === 1 ? 'a minute' : `${count} minutes`;
};

/** Marks a browser as one that this person signed in with; tells nothing and opens nothing by itself. */
const deviceMarkOf = (email: string): string =>
	createHmac('sha256', keyedHash('limen: device marks')).update(email.toLowerCase()).digest('base64url');

/**
 * Signs a person in. Says the same whether the address is unknown, disabled or the password wrong, and
 * takes as long. Ten wrong tries for one e-mail address from strange devices make strange devices wait a
 * quarter of an hour, and so do a hundred from one network address; a device that the person came in with
 * before is held up by neither.
 */
export function signIn(given: Credentials, from: From): Promise<SignInOutcome> {
	return runAs(SIGN_IN, async (): Promise<SignInOutcome> => {
		const email = cleanText(given.email.trim().toLowerCase());
		const known =
			given.deviceMark !== null && sameHash(Buffer.from(given.deviceMark), Buffer.from(deviceMarkOf(email)));
		const limit = known ? 'device' : 'person';
		// Counted before it is looked at: a hundred guesses sent at once are a hundred tries
		const wait = (await countTry(limit, email)) || (known ? 0 : await countTry('address', from.address));
		if (wait > 0) return refuse(`Too many wrong tries. Try again in ${minutes(wait)}.`);
		const wasNone = async () => {
			if (!known) await uncountTry('address', from.address);
		};
		const person: PersonRow | undefined = await personByEmail(email);
		let holds: boolean;
		try {
			holds = await passwordHolds(person?.password_hash ?? null, given.password);
		} catch (error) {
			if (!(error instanceof Busy)) throw error;
			return refuse(error.message);
		}
		if (!person || !holds || person.disabled_at) {
			await refused(person, from, 'wrong password');
			return refuse(WRONG);
		}
		if (person.totp_confirmed_at && given.code.trim() === '') {
			await wasNone();
			return { ok: false, problem: NEEDS_CODE, needsCode: true };
		}
		const token = await database().transaction(async (trx) => {
			if (person.totp_confirmed_at && !(await acceptCode(trx, withSecret(person), given.code))) return null;
			const begun = await beginSession(trx, person.id, from);
			await enterInLedger(trx, actorFor(person, from), [
				aboutPerson(person, 'sign in', `${person.name} signed in.`)
			]);
			return begun;
		});
		if (token === null) {
			await refused(person, from, 'wrong code');
			return { ok: false, problem: 'This code is wrong, or was used before.', needsCode: true };
		}
		await forgetTries(limit, email);
		await wasNone();
		return done({ token, deviceMark: deviceMarkOf(email) });
	});
}

/** Proves again who a signed-in person is; good for a few minutes on that session. */
export function confirmItIsYou(
	sessionId: string,
	given: { readonly password: string; readonly code: string },
	from: From
): Promise<Act> {
	return runAs(SIGN_IN, async () => {
		const person: (PersonRow & { session_id: string }) | undefined = await database()('session')
			.join('person', 'person.id', 'session.person_id')
			.where('session.id', sessionId)
			.whereNull('revoked_at')
			.first('person.*');
		if (!person) return refuse('You are not signed in any more.');
		const wait = await countTry('device', person.email.toLowerCase());
		if (wait > 0) return refuse(`Too many wrong tries. Try again in ${minutes(wait)}.`);
		const holds = await passwordHolds(person.password_hash, given.password).catch((error: Error) => error);
		if (holds instanceof Error) {
			if (!(holds instanceof Busy)) throw holds;
			return refuse(holds.message);
		}
		const confirmed =
			holds &&
			(await database().transaction(async (trx) => {
				if (person.totp_confirmed_at && !(await acceptCode(trx, withSecret(person), given.code)))
					return false;
				await trx('session').where({ id: sessionId }).update({ confirmed_at: trx.fn.now() });
				return true;
			}));
		if (confirmed) {
			await forgetTries('device', person.email.toLowerCase());
			return done(undefined);
		}
		await refused(person, from, 'not confirmed');
		return refuse(person.totp_confirmed_at ? 'The password or the code is wrong.' : 'The password is wrong.');
	});
}

/** How somebody can show again who they are. */
export const waysToConfirm = (
	personId: string
): Promise<{ readonly hasPassword: boolean; readonly isOfFirm: boolean }> =>
	runAs(SIGN_IN, async () => {
		const person = await database()('person').where({ id: personId }).first('password_hash', 'firm_subject');
		return { hasPassword: person?.password_hash != null, isOfFirm: person?.firm_subject != null };
	});

/** Ends one's own session, and the pages that it holds open. */
export function signOut(
	person: { readonly id: string; readonly name: string; readonly sessionId: string },
	from: From
): Promise<void> {
	return runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			if ((await revokeSessions(trx, { id: person.sessionId })) === 0) return;
			await enterInLedger(trx, actorFor(person, from), [
				aboutPerson(person, 'sign out', `${person.name} signed out.`)
			]);
		})
	);
}

export const personByEmail = (email: string): Promise<PersonRow | undefined> =>
	database()('person')
		.whereRaw('lower(email) = ?', [cleanText(email.trim().toLowerCase())])
		.first();

export const actorFor = (person: { id: string; name: string }, from: From): Actor => ({
	name: person.name,
	address: from.address,
	personId: person.id,
	may: () => false
});

export const aboutPerson = (person: { id: string }, act: string, words: string) =>
	({ act, customerId: null, subjectKind: 'person', subjectId: person.id, words }) as const;

async function refused(person: PersonRow | undefined, from: From, why: string): Promise<void> {
	// Of an address that nobody has nothing is kept: it may be a password typed into the wrong field
	if (!person) return;
	await database().transaction((trx: Knex) =>
		enterInLedger(trx, { ...LIMEN, address: from.address }, [
			{
				...aboutPerson(person, 'sign in', `A sign-in as ${person.name} was refused: ${why}.`),
				result: 'refused'
			}
		])
	);
}

const withSecret = (person: PersonRow) => ({
	id: person.id,
	totp_secret: person.totp_secret!,
	totp_last_step: person.totp_last_step
});
