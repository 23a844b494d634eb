import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { dutiesOfGroups, type Duty } from '../../../../core/people';
import { enterInLedger } from '../../ledger';
import { notify } from '../../live';
import { type From } from '../coming-in/sessions';
import { aboutPerson, actorFor } from '../coming-in/sign-in';
import type { FirmRefusal } from './refusals';

/** What is known of somebody who came from the provider. */
export interface Firmly {
	readonly subject: string;
	readonly email: string | null;
	readonly name: string;
	readonly groups: readonly string[];
	/** When they last showed there who they are. */
	readonly shownAt: number;
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
export async function personOf(
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
export async function giveWhatGroupsSay(
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
