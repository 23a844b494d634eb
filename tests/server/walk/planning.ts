import { v7 as uuid } from 'uuid';
import { get, newUnit, post } from '../making';
import { firstOf, type Ids } from '../things';
import { form, type Ask, type Asks } from './asking';

const SITE_FORM = {
	name: 'A site of the walk', street: '', locality: '', country: '', latitude: '', longitude: '', timeZone: 'Pacific/Auckland',
	contact: '', phone: '', accessHours: '', directions: '', uplink: 'fibre', provider: '', circuit: '', sim: '', apn: '',
	appointment: '', minutes: '60', technician: ''
}; // prettier-ignore
const patternForm = async () =>
	JSON.stringify({
		id: null,
		edit: 0,
		name: 'A pattern of the walk',
		note: '',
		siteValues: {},
		places: [{ id: null, name: 'x', profileId: await firstOf('profile'), values: {} }]
	});

/** Sites, their positions, values and addresses. */
export const PLANNING: Asks = {
	'GET /sites': (_ids, as) => get('/sites', as),
	'GET /sites/[id=uuid]': (ids, as) => get(`/sites/${ids.site}?position=${ids.position}`, as),
	'POST /sites/[id=uuid]?/bind': async (ids, as) =>
		post(`/sites/${ids.site}?/bind`, { position: ids.position, unit: (await newUnit()).unitId }, {}, as),
	'POST /sites/[id=uuid]?/swap': async (ids, as) =>
		post(
			`/sites/${ids.site}?/swap`,
			{ position: ids.position, unit: (await newUnit('gateway')).unitId, reason: 'x' },
			{},
			as
		),
	'POST /sites/[id=uuid]?/unbind': (ids, as) =>
		post(`/sites/${ids.site}?/unbind`, { position: ids.position }, {}, as),
	'POST /sites/[id=uuid]?/retry': (ids, as) =>
		post(`/sites/${ids.site}?/retry`, { position: ids.position }, {}, as),
	'POST /sites/[id=uuid]?/reveal': (ids, as) =>
		post(`/sites/${ids.site}?/reveal`, { position: ids.position, name: 'staff_secret' }, {}, as),
	'POST /sites/[id=uuid]?/follow': async (ids, as) =>
		post(`/sites/${ids.site}?/follow`, { position: ids.position, profile: await firstOf('profile') }, {}, as),
	'GET /sites/new': (ids, as) => get(`/sites/new?customer=${ids.customer}`, as),
	'POST /sites/new?/look': (ids, as) =>
		post('/sites/new?/look', { ...SITE_FORM, customer: ids.customer, pattern: 'none' }, {}, as),
	'POST /sites/new?/plan': (ids, as) =>
		post('/sites/new?/plan', { ...SITE_FORM, customer: ids.customer, pattern: 'none' }, {}, as),
	'GET /sites/rows': (_ids, as) => get('/sites/rows?q=clinic', as),
	'GET /sites/file': (_ids, as) => get('/sites/file', as),
	'POST /sites?/saveView': form('/sites?/saveView', { name: '', query: '' }),
	'POST /sites?/dropView': (ids, as) => post('/sites?/dropView', { view: ids.site }, {}, as),
	'POST /sites?/rehearse': (ids, as) => post('/sites?/rehearse', { site: ids.site }, {}, as),
	'GET /sites/week': (_ids, as) => get('/sites/week?of=2026-11-27', as),
	'GET /sites/[id=uuid]/network': (ids, as) => get(`/sites/${ids.site}/network`, as),
	'GET /sites/[id=uuid]/rehearsal': (ids, as) => get(`/sites/${ids.site}/rehearsal`, as),
	'POST /sites?/technician': (ids, as) =>
		post('/sites?/technician', { site: ids.site, technician: as.id }, {}, as),
	'GET /sites/[id=uuid]/health': (ids, as) => get(`/sites/${ids.site}/health?span=month&figure=sent`, as),
	'GET /sites/at/[card]': (ids, as) => get(`/sites/at/${ids.position.replaceAll('-', '')}`, as),
	'POST /sites/cards': (ids, as) => post('/sites/cards', { site: ids.site }, {}, as),
	'GET /sites/[id=uuid]/bundle': (ids, as) => get(`/sites/${ids.site}/bundle`, as),
	'POST /sites/[id=uuid]?/endLinks': (ids, as) => post(`/sites/${ids.site}?/endLinks`, {}, {}, as),
	'GET /sites/land': (_ids, as) => get('/sites/land?latitude=-41&longitude=173', as),
	'GET /sites/geojson': (_ids, as) => get('/sites/geojson', as),
	'GET /sites/stamp': (ids, as) => get(`/sites/stamp?pattern=${ids.pattern}`, as),
	'GET /sites/stamp/file': (ids, as) => get(`/sites/stamp/file?pattern=${ids.pattern}`, as),
	'POST /sites/stamp?/compare': (ids, as) =>
		post('/sites/stamp?/compare', { pattern: ids.pattern, text: 'site\nx' }, {}, as),
	'POST /sites/stamp?/stamp': (ids, as) =>
		post('/sites/stamp?/stamp', { pattern: ids.pattern, cells: '[["site"],["x"]]', seal: 'x' }, {}, as),
	'GET /sites/patterns': (_ids, as) => get('/sites/patterns', as),
	'GET /sites/patterns/new': (ids, as) => get(`/sites/patterns/new?from=${ids.site}`, as),
	'POST /sites/patterns/new?/save': async (ids, as) =>
		post('/sites/patterns/new?/save', { customer: ids.customer, pattern: await patternForm() }, {}, as),
	'GET /sites/patterns/[id=uuid]': (ids, as) => get(`/sites/patterns/${ids.pattern}`, as),
	'POST /sites/patterns/[id=uuid]?/save': async (ids, as) =>
		post(
			`/sites/patterns/${ids.pattern}?/save`,
			{ customer: ids.customer, pattern: await patternForm() },
			{},
			as
		),
	'POST /sites/patterns/[id=uuid]?/follow': (ids, as) =>
		post(`/sites/patterns/${ids.pattern}?/follow`, { site: ids.site }, {}, as),
	'POST /sites/patterns/[id=uuid]?/remove': (ids, as) =>
		post(`/sites/patterns/${ids.pattern}?/remove`, {}, {}, as),
	'POST /sites/[id=uuid]?/change': (ids, as) =>
		post(`/sites/${ids.site}?/change`, { ...SITE_FORM, edit: '0' }, {}, as),
	'POST /sites/[id=uuid]?/plan': async (ids, as) =>
		post(`/sites/${ids.site}?/plan`, { name: 'x', profile: await firstOf('profile') }, {}, as),
	'POST /sites/[id=uuid]?/cable': (ids, as) => post(`/sites/${ids.site}?/cable`, { cables: '[]' }, {}, as),
	'POST /sites/[id=uuid]?/propose': (ids, as) => post(`/sites/${ids.site}?/propose`, {}, {}, as),
	'POST /sites/[id=uuid]?/remove': (ids, as) =>
		post(`/sites/${ids.site}?/remove`, { position: ids.position }, {}, as),
	'POST /sites/[id=uuid]?/copy': (ids, as) => post(`/sites/${ids.site}?/copy`, { to: ids.site }, {}, as),
	'GET /calendar/[token]': (_ids, as) => get('/calendar/nothing.ics', as),
	'GET /addresses/ways': (_ids, as) => get('/addresses/ways', as),
	'POST /addresses/ways?/make': (ids, as) =>
		post(
			'/addresses/ways?/make',
			{
				customer: ids.customer,
				name: 'Walked',
				kind: 'socks5',
				host: '192.0.2.1',
				port: '1080',
				user: '',
				ranges: '192.0.2.0/24'
			},
			{},
			as
		),
	'POST /addresses/ways?/remove': (ids, as) => post('/addresses/ways?/remove', { way: ids.unit }, {}, as),
	'POST /sites/[id=uuid]?/accept': (ids, as) => post(`/sites/${ids.site}?/accept`, {}, {}, as),
	'GET /sites/[id=uuid]/proof': (ids, as) => get(`/sites/${ids.site}/proof`, as),
	'POST /sites/[id=uuid]/proof?/prove': (ids, as) => post(`/sites/${ids.site}/proof?/prove`, {}, {}, as),
	'POST /sites/[id=uuid]/proof?/again': (ids, as) =>
		post(`/sites/${ids.site}/proof?/again`, { proof: ids.proof, check: '1' }, {}, as),
	'GET /sites/patterns/[id=uuid]/proof': (ids, as) => get(`/sites/patterns/${ids.pattern}/proof`, as),
	'POST /sites/patterns/[id=uuid]/proof?/save': (ids, as) =>
		post(`/sites/patterns/${ids.pattern}/proof?/save`, { loss: '20' }, {}, as),
	'GET /sites/reachability': (_ids, as) => get('/sites/reachability', as),
	'GET /sites/reachability/rows': (_ids, as) => get('/sites/reachability/rows', as),
	'GET /sites/reachability/file': (_ids, as) => get('/sites/reachability/file', as),
	'GET /sites/reachability/[from=uuid]/[to=uuid]': (ids, as) =>
		get(`/sites/reachability/${ids.position}/${uuid()}`, as),
	'POST /sites/reachability/[from=uuid]/[to=uuid]?/look': (ids, as) =>
		post(`/sites/reachability/${ids.position}/${uuid()}?/look`, { way: 'there' }, {}, as),
	'GET /sites/[id=uuid]/handover': (ids, as) => get(`/sites/${ids.site}/handover`, as),
	'POST /sites/[id=uuid]/handover?/make': (ids, as) =>
		post(
			`/sites/${ids.site}/handover?/make`,
			{ acceptedBy: 'x', how: 'by telephone', signature: '', openPoints: '' },
			{},
			as
		),
	'GET /sites/connectors': (_ids, as) => get('/sites/connectors', as),
	'POST /sites/connectors?/save': (ids, as) =>
		post('/sites/connectors?/save', { name: 'x', customer: ids.customer, url: 'https://x.example/' }, {}, as),
	'GET /sites/connectors/[id=uuid]': (ids, as) => get(`/sites/connectors/${ids.connector}`, as),
	...Object.fromEntries(
		Object.entries<(ids: Ids) => Record<string, string>>({
			save: ({ connector }) => ({ id: connector, edit: '1', name: 'x' }),
			look: ({ connector }) => ({ connector }),
			compare: ({ connector }) => ({ connector }),
			map: ({ connector }) => ({ connector, edit: '1', key: 'id', from: 'name', to: 'site' }),
			take: ({ comparison }) => ({ run: comparison }),
			decide: ({ comparison }) => ({ run: comparison, row: '2', side: 'there' }),
			end: ({ connector }) => ({ connector })
		}).map(([act, fields]): [string, Ask] => [
			`POST /sites/connectors/[id=uuid]?/${act}`,
			(ids, as) => post(`/sites/connectors/${ids.connector}?/${act}`, fields(ids), {}, as)
		])
	),
	'GET /addresses/tunnels': (ids, as) => get(`/addresses/tunnels?make=${ids.customer}`, as),
	'POST /addresses/tunnels?/plan': (ids, as) =>
		post(
			'/addresses/tunnels?/plan',
			{ customer: ids.customer, near: ids.position, far: ids.elsewhere },
			{},
			as
		),
	'POST /addresses/tunnels?/wanted': (ids, as) =>
		post('/addresses/tunnels?/wanted', { pattern: ids.pattern }, {}, as),
	'POST /addresses/tunnels?/renew': (ids, as) =>
		post('/addresses/tunnels?/renew', { tunnel: ids.tunnel }, {}, as),
	'POST /addresses/tunnels?/remove': (ids, as) =>
		post('/addresses/tunnels?/remove', { tunnel: ids.tunnel }, {}, as),
	'GET /addresses/logins': (ids, as) =>
		get(`/addresses/logins?customer=${ids.customer}&address=10.0.0.1`, as),
	'POST /addresses/logins?/keep': (ids, as) =>
		post(
			'/addresses/logins?/keep',
			{ customer: ids.customer, name: 'x', user: 'x', password: 'walk', ranges: '10.9.0.0/16' },
			{},
			as
		),
	'POST /addresses/logins?/drop': (ids, as) => post('/addresses/logins?/drop', { login: ids.login }, {}, as),
	'POST /addresses/logins?/try': (ids, as) =>
		post('/addresses/logins?/try', { customer: ids.customer, port: '1', addresses: '127.0.0.1' }, {}, as),
	'GET /addresses/surveys': (_ids, as) => get('/addresses/surveys', as),
	'POST /addresses/surveys?/begin': (ids, as) =>
		post(
			'/addresses/surveys?/begin',
			{ customer: ids.customer, name: 'x', begins: '10.9.8.1', ranges: '10.9.8.0/24' },
			{},
			as
		),
	'GET /addresses/surveys/[id=uuid]': (ids, as) =>
		get(`/addresses/surveys/${ids.survey}?find=06:00:00:00:00:01`, as),
	'GET /addresses/surveys/[id=uuid]/list': (ids, as) => get(`/addresses/surveys/${ids.survey}/list`, as),
	...Object.fromEntries(
		Object.entries<Record<string, string>>({
			again: {},
			stop: {},
			spots: { spots: JSON.stringify([{ kind: 'thing', key: 'x', x: 1, y: 1 }]) },
			takeOn: { name: 'x', thing: 'address 10.9.9.1' },
			drop: {}
		}).map(([act, fields]): [string, Ask] => [
			`POST /addresses/surveys/[id=uuid]?/${act}`,
			(ids, as) => post(`/addresses/surveys/${ids.survey}?/${act}`, fields, {}, as)
		])
	),
	'POST /positions/[id=uuid]/preview?/removeOwn': (ids, as) =>
		post(`/positions/${ids.position}/preview?/removeOwn`, { index: '0', words: 'x' }, {}, as),
	'GET /positions/[id=uuid]/preview': (ids, as) =>
		get(`/positions/${ids.position}/preview?with=position:${ids.position}`, as),
	'POST /positions/[id=uuid]/preview?/reveal': (ids, as) =>
		post(
			`/positions/${ids.position}/preview?/reveal`,
			{ position: ids.position, name: 'staff_secret' },
			{},
			as
		),
	'GET /values': (ids, as) => get(`/values?position=${ids.position}`, as),
	'POST /values?/save': (ids, as) =>
		post(
			'/values?/save',
			{ changes: JSON.stringify([{ positionId: ids.position, field: 'hostname', was: '', now: 'x' }]) },
			{},
			as
		),
	'POST /values?/compare': (ids, as) => post(`/values?/compare&position=${ids.position}`, {}, {}, as),
	'GET /values/rows': async (ids, as) =>
		get(`/values/rows?profile=${await firstOf('profile')}&customer=${ids.customer}`, as),
	'GET /values/file': async (ids, as) =>
		get(`/values/file?profile=${await firstOf('profile')}&customer=${ids.customer}`, as),
	'GET /addresses': (_ids, as) => get('/addresses', as),
	'POST /addresses?/make': (ids, as) =>
		post(
			'/addresses?/make',
			{ customer: ids.customer, name: 'x', field: 'networks', scope: 'site', first: '1', last: '2' },
			{},
			as
		),
	'GET /addresses/[id=uuid]': (ids, as) => get(`/addresses/${ids.pool}`, as),
	'POST /addresses/[id=uuid]?/allot': (ids, as) => post(`/addresses/${ids.pool}?/allot`, {}, {}, as),
	'POST /addresses/[id=uuid]?/used': (ids, as) =>
		post(`/addresses/${ids.pool}?/used`, { used: '1 x' }, {}, as),
	'POST /addresses/[id=uuid]?/release': (ids, as) =>
		post(`/addresses/${ids.pool}?/release`, { allotment: ids.allotment }, {}, as),
	'POST /customer': async (ids, as) => {
		// Chosen or not: the next page must show nothing of them
		const cookie = `${as.cookie}; customer=${ids.customer}`;
		await post('/customer', { customer: ids.customer, back: '/sites' }, {}, as);
		return get('/sites', as, { headers: { cookie } });
	}
};
