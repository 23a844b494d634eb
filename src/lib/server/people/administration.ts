import { v7 as uuid } from 'uuid';
import type { Duty } from '../../../core/people';
import { done, refuse, type Act } from '../act';
import { database, isRefusal, runAs, SIGN_IN } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { post } from '../mail';
import { revokeSessions } from './coming-in/sessions';
import { aboutPerson } from './coming-in/sign-in';
import { issueTicket } from './coming-in/tickets';

export interface PersonListed {
	readonly id: string;
	readonly name: string;
	readonly email: string;
	readonly administrator: boolean;
	readonly disabledAt: Date | null;
	readonly codes: boolean;
	readonly duties: Readonly<Record<string, Duty>>;
	readonly sessions: number;
}

/** Everybody with what they may; for administrators (the database shows others only themselves). */
export async function people(): Promise<PersonListed[]> {
	const { rows } = await database().raw(
		`select person.id, name, email, administrator, disabled_at as "disabledAt", totp_confirmed_at is not null as codes,
			coalesce((select jsonb_object_agg(customer_id, duty) from membership where person_id = person.id), '{}') as duties,
			(select count(*)::int from session where person_id = person.id and revoked_at is null and ends_at > now()
				and last_used_at > now() - interval '12 hours') as sessions
		from person order by disabled_at nulls first, name`
	);
	return rows;
}

export interface Invitation {
	readonly name: string;
	readonly email: string;
	readonly administrator: boolean;
	readonly duties: Readonly<Record<string, Duty>>;
}

const NOT_YOURS = 'People are managed by administrators.';

/** Invites somebody: they get a letter with a link to set their password. */
export async function invite(given: Invitation, actor: Actor): Promise<Act<{ id: string }>> {
	if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
	const id = uuid();
	try {
		return await database().transaction(async (trx) => {
			await trx('person').insert({
				id,
				email: given.email,
				name: given.name,
				administrator: given.administrator
			});
			const duties = Object.entries(given.duties).map(([customer_id, duty]) => ({
				person_id: id,
				customer_id,
				duty
			}));
			if (duties.length > 0) await trx('membership').insert(duties);
			const link = await issueTicket(trx, 'invitation', id);
			await post(trx, invitationLetter(given, actor.name, link));
			await enterInLedger(trx, actor, [
				{
					...aboutPerson({ id }, 'invite', `${given.name} (${given.email}) invited.`),
					after: { administrator: given.administrator, duties: given.duties }
				}
			]);
			return done({ id });
		});
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(
			error.constraint === 'person_email'
				? `Somebody with the address ${given.email} is here already.`
				: 'There is no such customer.'
		);
	}
}

const invitationLetter = (given: { name: string; email: string }, by: string, link: string) => ({
	to: given.email,
	subject: 'Your access to Limen',
	text: `${given.name},\n\n${by} gave you access to Limen. Set your password here within a week:\n\n${link}\n`
});

/** Sends the invitation, or a link for a new password, once more. */
export async function sendLinkAgain(personId: string, actor: Actor): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
	return database().transaction(async (trx) => {
		const person = await trx('person')
			.where({ id: personId })
			.whereNull('disabled_at')
			.first('id', 'name', 'email');
		if (!person) return refuse('There is no such person.');
		await post(trx, invitationLetter(person, actor.name, await issueTicket(trx, 'invitation', personId)));
		await enterInLedger(trx, actor, [aboutPerson(person, 'invite', `${person.name} was sent a new link.`)]);
		return done(undefined);
	});
}

/** Gives a person duties in place of those they had. Their open pages begin anew, with what they may now. */
export async function setDuties(
	personId: string,
	duties: Readonly<Record<string, Duty>>,
	administrator: boolean,
	actor: Actor
): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
	if (actor.personId === personId && !administrator)
		return refuse('You cannot take your own administration away; ask another administrator.');
	try {
		return await database().transaction(async (trx) => {
			const person = await trx('person')
				.where({ id: personId })
				.forUpdate()
				.first('id', 'name', 'administrator');
			if (!person) return refuse('There is no such person.');
			const had = await trx('membership')
				.where({ person_id: personId })
				.select('customer_id', 'duty', 'from_groups');
			await trx('membership').where({ person_id: personId }).delete();
			// What came with the firm's groups goes with them, unless something else was chosen here
			const rows = Object.entries(duties).map(([customer_id, duty]) => ({
				person_id: personId,
				customer_id,
				duty,
				from_groups: had.some(
					(one) => one.from_groups && one.customer_id === customer_id && one.duty === duty
				)
			}));
			if (rows.length > 0) await trx('membership').insert(rows);
			await trx('person')
				.where({ id: personId })
				.update({
					administrator,
					administrator_from_groups: trx.raw('administrator_from_groups and ?', [administrator])
				});
			await notify(trx, 'access', null, [personId]);
			await enterInLedger(trx, actor, [
				{
					...aboutPerson(person, 'set duties', `Duties of ${person.name} set.`),
					before: {
						administrator: person.administrator,
						duties: Object.fromEntries(had.map((one) => [one.customer_id, one.duty]))
					},
					after: { administrator, duties }
				}
			]);
			return done(undefined);
		});
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse('There is no such customer or duty.');
	}
}

/** Shuts somebody out, or lets them in again. Shut out, all their sessions end at once. */
export async function setDisabled(personId: string, disabled: boolean, actor: Actor): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
	if (actor.personId === personId) return refuse('You cannot shut yourself out.');
	return database().transaction(async (trx) => {
		const [person] = await trx('person')
			.where({ id: personId })
			.update({ disabled_at: disabled ? trx.fn.now() : null })
			.returning(['id', 'name']);
		if (!person) return refuse('There is no such person.');
		const ended = disabled ? await revokeSessions(trx, { person_id: personId }) : 0;
		await enterInLedger(trx, actor, [
			disabled
				? aboutPerson(person, 'shut out', `${person.name} was shut out; ${ended} sessions ended.`)
				: aboutPerson(person, 'let in', `${person.name} was let in again.`)
		]);
		return done(undefined);
	});
}

/**
 * Turns somebody's one-time codes off: for who has neither their phone nor a recovery code any more. By
 * administrators, for others than themselves; all sessions of that person end.
 */
export async function turnOffCodesOf(personId: string, actor: Actor): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
	if (actor.personId === personId) return refuse('Turn your own codes off on your account’s page.');
	return runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			const [person] = await trx('person')
				.where({ id: personId })
				.whereNotNull('totp_confirmed_at')
				.update({ totp_secret: null, totp_confirmed_at: null, totp_last_step: null })
				.returning(['id', 'name']);
			if (!person) return refuse('This person has no one-time codes on.');
			await trx('recovery_code').where({ person_id: personId }).delete();
			await revokeSessions(trx, { person_id: personId });
			await enterInLedger(trx, actor, [
				aboutPerson(person, 'turn off one-time codes', `One-time codes of ${person.name} were turned off.`)
			]);
			return done(undefined);
		})
	);
}

/** Ends one session, one's own or (administrators) anybody's. */
export async function endSession(sessionId: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const session = await trx('session').where({ id: sessionId }).first('person_id as id', 'device');
		if (!session || (await revokeSessions(trx, { id: sessionId })) === 0)
			return refuse('This session has ended already.');
		await enterInLedger(trx, actor, [
			aboutPerson(session, 'end session', `A session on ${session.device} was ended.`)
		]);
		return done(undefined);
	});
}
