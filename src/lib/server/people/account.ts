import { done, refuse, type Act } from '../act';
import { database, runAs, SIGN_IN } from '../database';
import { enterInLedger } from '../ledger';
import { hashPassword, passwordProblem } from './coming-in/passwords';
import { revokeSessions, type From } from './coming-in/sessions';
import { aboutPerson, actorFor } from './coming-in/sign-in';
import { newTotp, renewRecoveryCodes, totpStep, totpUri } from './coming-in/totp';

/** What people do with their own account. Each act but looking asks again who they are (the caller's part). */
export interface Account {
	readonly totp: 'off' | 'begun' | 'on';
	readonly recoveryCodesLeft: number;
	/** While it is being set up: the address behind the QR code. */
	readonly uri: string | null;
}

export const accountOf = (personId: string): Promise<Account> =>
	runAs(SIGN_IN, async (): Promise<Account> => {
		const person = await database()('person')
			.where({ id: personId })
			.first('email', 'totp_secret', 'totp_confirmed_at');
		const [left] = await database()('recovery_code')
			.where({ person_id: personId })
			.whereNull('used_at')
			.count();
		return {
			totp: person.totp_confirmed_at ? 'on' : person.totp_secret ? 'begun' : 'off',
			recoveryCodesLeft: Number(left?.count),
			uri: person.totp_secret && !person.totp_confirmed_at ? totpUri(person.totp_secret, person.email) : null
		};
	});

interface Self {
	readonly id: string;
	readonly name: string;
	readonly email: string;
	readonly sessionId: string;
}

/** Changes the password and ends all other sessions. */
export async function changePassword(self: Self, password: string, from: From): Promise<Act> {
	const problem = passwordProblem(password, self.email);
	if (problem) return refuse(problem);
	const password_hash = await hashPassword(password);
	return runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			await trx('person').where({ id: self.id }).update({ password_hash });
			const ended = await revokeSessions(trx, { person_id: self.id }, self.sessionId);
			await enterInLedger(trx, actorFor(self, from), [
				aboutPerson(
					self,
					'change password',
					`${self.name} changed their password; ${ended} other sessions ended.`
				)
			]);
			return done(undefined);
		})
	);
}

/** Begins to set up one-time codes; nothing is asked for until a first code has come. */
export const beginTotp = (self: Self): Promise<Act> =>
	runAs(SIGN_IN, async () => {
		const changed = await database()('person')
			.where({ id: self.id })
			.whereNull('totp_confirmed_at')
			.update({ totp_secret: newTotp(self.email).sealed });
		return changed ? done(undefined) : refuse('One-time codes are on already.');
	});

/** Confirms with a first code; returns the recovery codes, which are shown this once. */
export const confirmTotp = (
	self: Self,
	code: string,
	from: From
): Promise<Act<{ codes: readonly string[] }>> =>
	runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			const person = await trx('person')
				.where({ id: self.id })
				.forUpdate()
				.first('totp_secret', 'totp_confirmed_at');
			if (person.totp_confirmed_at || !person.totp_secret)
				return refuse('Begin to set up one-time codes first.');
			const step = totpStep(person.totp_secret, code);
			if (step === null) return refuse('This code is wrong. Is the clock of your phone right?');
			await trx('person')
				.where({ id: self.id })
				.update({ totp_confirmed_at: trx.fn.now(), totp_last_step: step });
			const codes = await renewRecoveryCodes(trx, self.id);
			await enterInLedger(trx, actorFor(self, from), [
				aboutPerson(self, 'turn on one-time codes', `${self.name} turned on one-time codes.`)
			]);
			return done({ codes });
		})
	);

export const turnOffTotp = (self: Self, from: From): Promise<Act> =>
	runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			await trx('recovery_code').where({ person_id: self.id }).delete();
			await trx('person')
				.where({ id: self.id })
				.update({ totp_secret: null, totp_confirmed_at: null, totp_last_step: null });
			await enterInLedger(trx, actorFor(self, from), [
				aboutPerson(self, 'turn off one-time codes', `${self.name} turned off one-time codes.`)
			]);
			return done(undefined);
		})
	);
