import { v7 as uuid } from 'uuid';
import { database } from '../../src/lib/server/database';
import { seal } from '../../src/lib/server/keys';
import { currentSettings } from '../../src/lib/server/settings';
import { INVENTORY_KEY } from '../../standins/inventory/service';

/** Which of the inventory's columns is which, as somebody has chosen. */
const COLUMNS = {
	name: 'site',
	'address/street': 'street',
	'address/city': 'locality',
	'address/country': 'country',
	'location/lat': 'latitude',
	'location/lon': 'longitude',
	timezone: 'time zone',
	'contact/name': 'contact',
	'contact/phone': 'phone',
	access: 'uplink',
	visit: 'appointment'
};

/** The bakeries' own inventory, in the yard, is ready to be compared in the demo. */
export async function loadConnector(): Promise<void> {
	const [customer, person, pattern] = await Promise.all([
		database()('customer').where({ name: 'Pippin & Loaf' }).first('id'),
		database()('person').where({ name: 'Ines Okafor' }).first('id', 'name'),
		database()('site_pattern').where({ name: 'Bakery' }).first('id')
	]);
	await database()('connector').insert({
		id: uuid(),
		customer_id: customer.id,
		name: 'The bakeries’ inventory',
		kind: 'sites',
		url: `http://127.0.0.1:${currentSettings().LIMEN_YARD_PORT}/inventory/places`,
		header: 'X-Api-Key',
		header_value: seal(INVENTORY_KEY),
		records: '/places',
		next_page: '/next',
		pattern_id: pattern.id,
		mapping: JSON.stringify({
			key: 'id',
			columns: Object.entries(COLUMNS).map(([from, to]) => ({ from, to }))
		}),
		person_id: person.id,
		stated_by: person.name
	});
}
