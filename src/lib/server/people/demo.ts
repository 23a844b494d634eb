import { done, refuse, type Act } from '../act';
import { database, runAs, SIGN_IN } from '../database';
import { enterInLedger } from '../ledger';
import { currentSettings } from '../settings';
import { beginSession, type From } from './coming-in/sessions';
import { aboutPerson, actorFor } from './coming-in/sign-in';

/**
 * The demo's quick sign-in. It needs all three: a database that was born as a demo (never to be changed
 * afterwards), the demo's start command, and an application that only this machine can reach.
 */
const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;

async function quickSignInIsOn(): Promise<boolean> {
	if (process.env.LIMEN_DEMO !== 'yes' || !LOOPBACK.test(currentSettings().LIMEN_HOST)) return false;
	return (await database()('installation').first('demo'))?.demo === true;
}

/** Whether this is the demo, on this machine alone. */
export const isDemo = (): Promise<boolean> => runAs(SIGN_IN, quickSignInIsOn);

export interface QuickPerson {
	readonly id: string;
	readonly name: string;
	readonly part: string;
}

/** The demo's people; empty anywhere else. */
export const quickPeople = (): Promise<QuickPerson[]> =>
	runAs(SIGN_IN, async () => {
		if (!(await quickSignInIsOn())) return [];
		const { rows } = await database().raw(
			`select id, name, case when administrator then 'administrator'
				else (select string_agg(distinct duty, ', ') from membership where person_id = person.id) end as part
			from person where email like '%.example' and disabled_at is null order by id`
		);
		return rows;
	});

export const quickSignIn = (personId: string, from: From): Promise<Act<{ token: string }>> =>
	runAs(SIGN_IN, async () => {
		const person = (await quickPeople()).find(({ id }) => id === personId);
		if (!person) return refuse('There is no quick sign-in here.');
		const token = await database().transaction(async (trx) => {
			const begun = await beginSession(trx, person.id, from);
			await enterInLedger(trx, actorFor(person, from), [
				aboutPerson(person, 'sign in', `${person.name} signed in from the demo's list.`)
			]);
			return begun;
		});
		return done({ token });
	});
