import { v7 as uuid } from 'uuid';
import { database } from '../../src/lib/server/database';
import { hashPassword } from '../../src/lib/server/people/coming-in/passwords';
import { file } from './files';
import { DEMO_PASSWORD } from './password';

/** The demo's people. Those who are there stay as they are. */
export async function loadPeople(): Promise<void> {
	const people = JSON.parse(file('people.json')) as {
		name: string;
		email: string;
		duty: string;
		customers: string[];
		/** Which letters of sites they want. */
		letters?: object;
	}[];
	const passwordHash = await hashPassword(DEMO_PASSWORD);
	await database().transaction(async (trx) => {
		for (const { name, email, duty, customers, letters } of people) {
			const id = uuid();
			const made = await trx('person')
				.insert({ id, name, email, administrator: duty === 'administrator', password_hash: passwordHash })
				.onConflict(trx.raw('(lower(email))'))
				.ignore()
				.returning('id');
			if (made.length > 0 && letters) await trx('letter_wish').insert({ person_id: id, ...letters });
			if (made.length === 0 || customers.length === 0) continue;
			await trx.raw(
				'insert into membership (person_id, customer_id, duty) select ?, id, ? from customer where name = any(?::text[])',
				[id, duty, customers]
			);
		}
	});
}

/** What the groups of the demo's identity provider may do. */
export async function loadGroups(): Promise<void> {
	for (const { group, duty, customers: names } of JSON.parse(file('groups.json')) as {
		group: string;
		duty: string;
		customers: string[];
	}[])
		await database().raw(
			'insert into firm_group (id, name, customer_id, duty) select gen_random_uuid(), ?, id, ? from customer where name = any(?::text[])',
			[group, duty, names]
		);
}

