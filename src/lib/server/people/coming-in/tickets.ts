import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { cleanText } from '../../../../core/text';
import { done, refuse, type Act } from '../../act';
import { changing, TakenBack } from '../../change';
import { database, runAs, SIGN_IN, timeNow } from '../../database';
import { enterInLedger } from '../../ledger';
import { post } from '../../mail';
import { currentSettings, publicUrl } from '../../settings';
import { newToken, tokenHash } from './chance';
import { countTry, forgetTries } from '../limits';
import { Busy, hashPassword, passwordProblem } from './passwords';
import { beginSession, revokeSessions, type From } from './sessions';
import { aboutPerson, actorFor, minutes, personByEmail } from './sign-in';
import { acceptCode } from './totp';

/** Links that are good once: an invitation, a forgotten password, the first administrator of an installation. */
export type TicketKind = 'invitation' | 'reset' | 'first-administrator';
const GOOD_FOR_MS: Readonly<Record<TicketKind, number>> = {
	invitation: 7 * 24 * 3_600_000,
	reset: 3_600_000,
	'first-administrator': 24 * 3_600_000
};

/** Makes a ticket and returns its link. The first link of a person's that is used ends all their others. */
export async function issueTicket(trx: Knex, kind: TicketKind, personId: string | null): Promise<string> {
	const token = newToken();
	await trx('ticket').insert({
		token_hash: tokenHash(token),
		kind,
		person_id: personId,
		ends_at: new Date(timeNow() + GOOD_FOR_MS[kind])
	});
	return `${publicUrl(currentSettings())}/ticket/${token}`;
}

export interface Ticket {
	readonly kind: TicketKind;
	readonly name: string | null;
	readonly email: string | null;
	/** Whether the person has one-time codes on: a letter alone does not get past them. */
	readonly wantsCode: boolean;
}

/** What a link is for; null when it is used, over or never was. */
export const readTicket = (token: string): Promise<Ticket | null> =>
	runAs(SIGN_IN, async () => {
		const found = await openTicket(database(), token);
		if (!found) return null;
		const { kind, name, email, wantsCode } = found;
		return { kind, name, email, wantsCode };
	});

interface OpenTicket extends Ticket {
	readonly personId: string | null;
}

const openTicket = async (trx: Knex, token: string): Promise<OpenTicket | undefined> =>
	trx('ticket')
		.leftJoin('person', 'person.id', 'ticket.person_id')
		.where({ token_hash: tokenHash(token) })
		.whereNull('used_at')
		.whereNull('disabled_at')
		.where('ends_at', '>', trx.fn.now())
		.first(
			'kind',
			'person_id as personId',
			'name',
			'email',
			trx.raw('coalesce(totp_confirmed_at is not null, false) as "wantsCode"')
		);

export interface Acceptance {
	readonly password: string;
	/** For the first administrator, who is not known yet. */
	readonly name: string;
	readonly email: string;
	/** A one-time code or a recovery code, where the person has them on. */
	readonly code: string;
}

const WRONG_CODE =
	'Type the six digits that your authenticator shows now, or a recovery code that was not used yet.';

/**
 * Uses a link: sets the password, ends every session of the person, and signs them in. Where they have
 * one-time codes on, the link alone is not enough: wrong codes are counted like wrong passwords, and leave
 * the link as it is.
 */
export const useTicket = (token: string, given: Acceptance, from: From): Promise<Act<{ token: string }>> =>
	runAs(SIGN_IN, async () => {
		const before = await openTicket(database(), token);
		if (!before) return refuse('This link has been used, or its time is over. Ask for a new one.');
		const problem = passwordProblem(given.password, before.email ?? given.email);
		if (problem) return refuse(problem);
		const key = before.email?.toLowerCase() ?? '';
		const wait = before.wantsCode ? await countTry('device', key) : 0;
		if (wait > 0) return refuse(`Too many wrong tries. Try again in ${minutes(wait)}.`);
		let passwordHash: string;
		try {
			passwordHash = await hashPassword(given.password);
		} catch (error) {
			if (!(error instanceof Busy)) throw error;
			return refuse(error.message);
		}
		const act = await changing(async (trx) => {
			// Of two who use it at once the second finds it used
			const used = await trx('ticket')
				.where({ token_hash: tokenHash(token) })
				.whereNull('used_at')
				.update({ used_at: trx.fn.now() });
			if (used === 0) return refuse('This link has just been used.');
			const person = before.personId
				? { id: before.personId, name: before.name! }
				: await firstAdministrator(trx, given);
			if (!person)
				throw new TakenBack(refuse('There is an administrator already; ask them for an invitation.'));
			if (before.wantsCode && !(await codeHolds(trx, person.id, given.code)))
				throw new TakenBack(refuse(WRONG_CODE));
			await trx('person').where({ id: person.id }).update({ password_hash: passwordHash });
			await trx('ticket')
				.where({ person_id: person.id })
				.whereNull('used_at')
				.update({ used_at: trx.fn.now() });
			await revokeSessions(trx, { person_id: person.id });
			const session = await beginSession(trx, person.id, from);
			await enterInLedger(trx, actorFor(person, from), [
				aboutPerson(person, `accept ${before.kind}`, `${person.name} set a password and signed in.`)
			]);
			return done({ token: session });
		});
		if (act.ok && before.wantsCode) await forgetTries('device', key);
		return act;
	});

async function codeHolds(trx: Knex, personId: string, code: string): Promise<boolean> {
	const person = await trx('person')
		.where({ id: personId })
		.forUpdate()
		.first('id', 'totp_secret', 'totp_last_step');
	return acceptCode(trx, person, code);
}

async function firstAdministrator(
	trx: Knex,
	given: Acceptance
): Promise<{ id: string; name: string } | null> {
	// One at a time: two tickets must not make two first ones
	await trx.raw('lock table person in share row exclusive mode');
	if (await trx('person').where({ administrator: true }).whereNotNull('password_hash').first('id'))
		return null;
	const person = { id: uuid(), name: given.name };
	await trx('person').insert({ ...person, email: given.email, administrator: true });
	return person;
}

/** The link for an installation's first administrator; null when there is one already. */
export const firstAdministratorLink = (): Promise<string | null> =>
	runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			if (await trx('person').where({ administrator: true }).first('id')) return null;
			await trx('ticket')
				.where({ kind: 'first-administrator' })
				.whereNull('used_at')
				.update({ used_at: trx.fn.now() });
			return issueTicket(trx, 'first-administrator', null);
		})
	);

/** Sends a link to set a new password, if somebody has this address; says nothing of whether. */
export const askForReset = (email: string, from: From): Promise<Act> =>
	runAs(SIGN_IN, async () => {
		const wait = Math.max(
			await countTry('letter', cleanText(email.toLowerCase())),
			await countTry('letters', from.address)
		);
		if (wait > 0) return refuse(`Too many letters were asked for. Try again in ${minutes(wait)}.`);
		const person = await personByEmail(email);
		if (person && !person.disabled_at)
			await database().transaction(async (trx) => {
				const link = await issueTicket(trx, 'reset', person.id);
				await post(trx, {
					to: person.email,
					subject: 'A new password for Limen',
					text: `${person.name},\n\nsomebody, probably you, asked for a new password. Set it here within an hour:\n\n${link}\n\nIf it was not you, do nothing: your password stays as it is.\n`
				});
				await enterInLedger(trx, actorFor(person, from), [
					aboutPerson(
						person,
						'ask for a new password',
						`A new password was asked for in the name of ${person.name}.`
					)
				]);
			});
		return done(undefined);
	});
