import { v7 as uuid } from 'uuid';
import { address, get, post } from '../making';
import { form, type Ask, type Asks } from './asking';

/** Entries of a phone, by the ids that it gave them. */
const DAY_ENTRIES = [uuid(), uuid()];

/** Who comes in, and the day of those on their way. */
export const PEOPLE: Asks = {
	'POST /account?/calendar': form('/account?/calendar', {}),
	'POST /account?/letters': form('/account?/letters', { evening: '17' }),
	'GET /sign-in/firm/back': (_ids, as) => get('/sign-in/firm/back?code=x&state=y', as),
	'GET /sign-in/firm/leave': (_ids, as) => get('/sign-in/firm/leave', as),
	'GET /sign-in/firm/confirmed': (_ids, as) => get('/sign-in/firm/confirmed', as),
	'GET /people/groups': (_ids, as) => get('/people/groups', as),
	'POST /people/groups?/map': (ids, as) =>
		post('/people/groups?/map', { group: 'x', duty: 'reader', customer: ids.customer }, {}, as),
	'POST /people/groups?/unmap': (ids, as) => post('/people/groups?/unmap', { mapped: ids.rule }, {}, as),
	'GET /people/webhooks': (_ids, as) => get('/people/webhooks', as),
	'POST /people/webhooks?/save': (ids, as) =>
		post(
			'/people/webhooks?/save',
			{ name: 'x', url: 'https://x.example/', customer: ids.customer, kinds: 'alert.begun' },
			{},
			as
		),
	'GET /people/webhooks/[id=uuid]': (ids, as) => get(`/people/webhooks/${ids.unit}`, as),
	'POST /people/webhooks/[id=uuid]?/save': (ids, as) =>
		post(
			`/people/webhooks/${ids.unit}?/save`,
			{ id: ids.unit, name: 'x', url: 'https://x.example/', kinds: 'alert.begun' },
			{},
			as
		),
	...Object.fromEntries(
		Object.entries({ try: 'webhook', renew: 'webhook', end: 'webhook', again: 'delivery' }).map(
			([act, named]): [string, Ask] => [
				`POST /people/webhooks/[id=uuid]?/${act}`,
				(ids, as) => post(`/people/webhooks/${ids.unit}?/${act}`, { [named]: ids.unit }, {}, as)
			]
		)
	),
	'GET /people/walls': (_ids, as) => get('/people/walls', as),
	'POST /people/walls?/make': (ids, as) =>
		post('/people/walls?/make', { name: 'x', customer: ids.customer }, {}, as),
	'POST /people/walls?/end': (ids, as) => post('/people/walls?/end', { screen: ids.unit }, {}, as),
	'GET /signing': (_ids, as) => get('/signing', as),
	'POST /signing?/renew': form('/signing?/renew', { pem: 'nothing' }),
	'POST /signing?/giveUp': (ids, as) => post('/signing?/giveUp', { customer: ids.customer }, {}, as),
	'GET /day': (ids, as) => get(`/day?site=${ids.site}`, as),
	'POST /day/sync': (ids, as) =>
		fetch(address('/day/sync'), {
			method: 'POST',
			headers: { cookie: as.cookie, origin: address(''), 'content-type': 'application/json' },
			body: JSON.stringify({
				now: 0,
				entries: ['note', 'bind'].map((kind, at) => ({
					id: DAY_ENTRIES[at],
					at,
					siteId: ids.site,
					positionId: ids.position,
					...(kind === 'note' ? { kind, text: 'a note of the walk' } : { kind, serial: ids.serial })
				}))
			})
		}),
	'POST /day?/settle': (ids, as) => post('/day?/settle', { conflict: ids.photo, choice: 'mine' }, {}, as),
	'GET /day/photos/[id=uuid]': (ids, as) => get(`/day/photos/${ids.photo}`, as),
	'GET /phone': (ids, as) => get(`/phone?q=${ids.serial.slice(-6)}`, as),
	'POST /phone?/bind': (ids, as) => post('/phone?/bind', { position: ids.position, unit: ids.unit }, {}, as),
	'POST /phone?/undo': (ids, as) => post('/phone?/undo', { position: ids.position }, {}, as),
	'GET /account': (_ids, as) => get('/account', as),
	'POST /account?/end': (ids, as) => post('/account?/end', { session: ids.session }, {}, as),
	'POST /account?/password': form('/account?/password', { password: 'x' }),
	'POST /account?/begin': form('/account?/begin', {}),
	'POST /account?/first': form('/account?/first', { code: '000000' }),
	'POST /account?/off': form('/account?/off', {}),
	'GET /people': (_ids, as) => get('/people', as),
	'POST /people?/invite': form('/people?/invite', { name: 'x', email: 'x@tests.example' }),
	'POST /people?/duties': (ids, as) => post('/people?/duties', { person: ids.person }, {}, as),
	'POST /people?/link': (ids, as) => post('/people?/link', { person: ids.person }, {}, as),
	'POST /people?/out': (ids, as) => post('/people?/out', { person: ids.person }, {}, as),
	'POST /people?/in': (ids, as) => post('/people?/in', { person: ids.person }, {}, as),
	'POST /people?/codes': (ids, as) => post('/people?/codes', { person: ids.person }, {}, as),
	'POST /people?/end': (ids, as) => post('/people?/end', { session: ids.session }, {}, as),
	'POST /people?/token': form('/people?/token', { name: 'x', days: '1' }),
	'POST /people?/customer': form('/people?/customer', { name: 'A customer of the walk' }),
	'POST /people?/revoke': (ids, as) => post('/people?/revoke', { token: ids.token }, {}, as),
	'GET /sign-in': (_ids, as) => get('/sign-in', as),
	'POST /sign-in?/password': form('/sign-in?/password', { email: 'nobody@tests.example', password: 'wrong' }),
	'POST /sign-in?/quick': (ids, as) => post('/sign-in?/quick', { person: ids.person }, {}, as),
	'GET /forgotten': (_ids, as) => get('/forgotten', as),
	'POST /forgotten?/default': form('/forgotten', { email: 'nobody@tests.example' }),
	'GET /ticket/[token]': (_ids, as) => get('/ticket/nothing', as),
	'POST /ticket/[token]?/default': form('/ticket/nothing', { password: 'a long enough one' }),
	'GET /start': (_ids, as) => get('/start', as),
	'POST /account?/endToken': (ids, as) => post('/account?/endToken', { token: ids.token }, {}, as)
};
