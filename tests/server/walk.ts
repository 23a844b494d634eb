import { v7 as uuid } from 'uuid';
import { USUAL_RULES } from '../../src/core/rollout';
import { NO_RULE } from '../../src/core/windows';
import {
	overTls,
	address,
	get,
	invoke,
	lineOf,
	newLabel,
	newUnit,
	openPosition,
	post,
	unwalled,
	type TestPerson
} from './making';
import { firstOf, type Ids } from './things';
export type Ask = (ids: Ids, as: TestPerson, token: string) => Promise<Response>;

const form =
	(path: string, fields: Record<string, string>): Ask =>
	(_ids, as) =>
		post(path, fields, {}, as);

/** Entries of a phone, by the ids that it gave them. */
const DAY_ENTRIES = [uuid(), uuid()];
const TOMORROW = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
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

const reportForm = ({ customer }: Ids): Record<string, string> => ({
	customer,
	cohort: '',
	parts: 'health',
	from: '2026-11-01',
	to: '2026-11-30'
});
const scheduleForm = (ids: Ids, id: string): Record<string, string> => ({
	...reportForm(ids), id, edit: '1', name: 'A report of the walk', every: 'month', weekday: '1', monthDay: '1', hour: '7', zone: 'UTC',
	recipients: 'walk@example.test'
}); // prettier-ignore

/** Every route of the application. A route that is not here fails the walk. */
export const WALK: Record<string, Ask> = {
	'GET /': (_ids, as) => get('/', as),
	'POST /?/retry': (ids, as) => post('/?/retry', { position: ids.position }, {}, as),
	'POST /?/bind': (ids, as) => post('/?/bind', { position: ids.position, unit: ids.unit }, {}, as),
	'POST /?/unbind': (ids, as) => post('/?/unbind', { position: ids.position }, {}, as),
	'POST /?/away': (ids, as) => post('/?/away', { caller: ids.caller }, {}, as),
	'GET /intake': (_ids, as) => get('/intake', as),
	'POST /intake?/claim': (ids, as) =>
		post('/intake?/claim', { customer: ids.customer, text: lineOf(newLabel()) }, {}, as),
	'POST /intake?/again': (ids, as) => post('/intake?/again', { unit: ids.unit, code: 'NEWCODE234' }, {}, as),
	'POST /intake?/drop': (ids, as) => post('/intake?/drop', { unit: ids.unit }, {}, as),
	'POST /intake?/columns': (ids, as) =>
		post('/intake?/columns', { customer: ids.customer, text: 'serial,site\nx,y' }, {}, as),
	'GET /intake/rules': (_ids, as) => get('/intake/rules', as),
	'POST /intake/rules?/save': (ids, as) =>
		post('/intake/rules?/save', { customer: ids.customer, about: 'og-2 gateway', held: 'yes' }, {}, as),
	'POST /intake/rules?/remove': (ids, as) => post('/intake/rules?/remove', { rule: ids.rule }, {}, as),
	'POST /intake/rules?/fill': (ids, as) => post('/intake/rules?/fill', { customer: ids.customer }, {}, as),
	'POST /intake/rules?/approve': (ids, as) => post('/intake/rules?/approve', { unit: ids.proposed }, {}, as),
	'POST /intake/rules?/decline': (ids, as) => post('/intake/rules?/decline', { unit: ids.proposed }, {}, as),
	'POST /intake/rules?/unbind': (ids, as) =>
		post('/intake/rules?/unbind', { position: ids.position }, {}, as),
	'GET /intake/[id=uuid]/progress': (ids, as) => get(`/intake/${ids.batch}/progress`, as),
	'GET /intake/[id=uuid]/file': (ids, as) => get(`/intake/${ids.batch}/file`, as),
	'GET /intake/[id=uuid]': (ids, as) => get(`/intake/${ids.batch}`, as),
	'POST /intake/[id=uuid]?/mend': (ids, as) =>
		post(`/intake/${ids.batch}?/mend`, { row: '1', text: lineOf(newLabel()) }, {}, as),
	'POST /intake/[id=uuid]?/drop': (ids, as) => post(`/intake/${ids.batch}?/drop`, { row: '1' }, {}, as),
	'POST /intake/[id=uuid]?/again': (ids, as) =>
		post(`/intake/${ids.batch}?/again`, { unit: ids.unit, code: 'NEWCODE234' }, {}, as),
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
	'GET /units': (_ids, as) => get('/units', as),
	'GET /units/rows': (ids, as) => get(`/units/rows?q=${ids.serial}`, as),
	'GET /units/file': (_ids, as) => get('/units/file', as),
	'POST /units?/saveView': form('/units?/saveView', { name: '', query: '' }),
	'POST /units?/dropView': (ids, as) => post('/units?/dropView', { view: ids.unit }, {}, as),
	'POST /units?/retry': (ids, as) => post('/units?/retry', { unit: ids.unit }, {}, as),
	'POST /units?/rollout': (ids, as) => post('/units?/rollout', { unit: ids.unit, kind: 'restart' }, {}, as),
	'GET /arrivals/rollouts': (_ids, as) => get('/arrivals/rollouts', as),
	'POST /arrivals/rollouts?/draft': form('/arrivals/rollouts?/draft', {
		kind: 'firmware',
		line: 'nothing',
		version: '1'
	}),
	'GET /arrivals/rollouts/[id=uuid]': (ids, as) => get(`/arrivals/rollouts/${ids.rollout}`, as),
	'GET /arrivals/rollouts/[id=uuid]/file': (ids, as) => get(`/arrivals/rollouts/${ids.rollout}/file`, as),
	'POST /arrivals/rollouts/[id=uuid]?/begin': (ids, as) =>
		post(
			`/arrivals/rollouts/${ids.rollout}?/begin`,
			{ title: 'x', rules: JSON.stringify(USUAL_RULES), units: '1' },
			{},
			as
		),
	...Object.fromEntries(
		['pause', 'goOn', 'end', 'leaveOut', 'doNow', 'back', 'throwAway'].map((act): [string, Ask] => [
			`POST /arrivals/rollouts/[id=uuid]?/${act}`,
			(ids, as) => post(`/arrivals/rollouts/${ids.rollout}?/${act}`, { unit: ids.unit }, {}, as)
		])
	),
	'GET /units/[id=uuid]/health': (ids, as) => get(`/units/${ids.unit}/health?span=week`, as),
	'GET /units/[id=uuid]/health/file': (ids, as) => get(`/units/${ids.unit}/health/file`, as),
	'GET /sites/[id=uuid]/health': (ids, as) => get(`/sites/${ids.site}/health?span=month&figure=sent`, as),
	'GET /upkeep/health': (_ids, as) => get('/upkeep/health', as),
	'GET /units/[id=uuid]/firmware': (ids, as) => get(`/units/${ids.unit}/firmware`, as),
	'POST /units/[id=uuid]/firmware?/flash': (ids, as) =>
		post(`/units/${ids.unit}/firmware?/flash`, { to: '7.0.3' }, {}, as),
	'GET /sites/at/[card]': (ids, as) => get(`/sites/at/${ids.position.replaceAll('-', '')}`, as),
	'POST /sites/cards': (ids, as) => post('/sites/cards', { site: ids.site }, {}, as),
	'GET /sites/[id=uuid]/bundle': (ids, as) => get(`/sites/${ids.site}/bundle`, as),
	'POST /bundles': (ids, as) => post('/bundles', { unit: ids.unit, kind: 'ask' }, {}, as),
	'GET /arrivals/keys/[caller]': (_ids, as) => get('/arrivals/keys/1', as),
	'POST /arrivals/keys/[caller]?/default': (ids, as) => post('/arrivals/keys/1', { unit: ids.unit }, {}, as),
	'POST /labels': (ids, as) => post('/labels', { unit: ids.unit, position: ids.position }, {}, as),
	'GET /progress/[token]': (_ids, as) => get('/progress/nothing', as),
	'POST /progress/[token]?/answer': (_ids, as) =>
		post('/progress/nothing?/answer', { box: 'gw-1', question: 'lamp', answer: 'off' }, {}, as),
	'GET /progress/[token]/now': (_ids, as) => get('/progress/nothing/now', as),
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
	'POST /account?/calendar': form('/account?/calendar', {}),
	'POST /account?/letters': form('/account?/letters', { evening: '17' }),
	'GET /units/[id=uuid]': (ids, as) => get(`/units/${ids.unit}`, as),
	'GET /work': (_ids, as) => get('/work', as),
	'GET /work/[id=uuid]': (ids, as) => get(`/work/${ids.work}`, as),
	'GET /work/[id=uuid]/file': (ids, as) => get(`/work/${ids.work}/file`, as),
	'POST /work/[id=uuid]?/cancel': (ids, as) => post(`/work/${ids.work}?/cancel`, {}, {}, as),
	'POST /work/[id=uuid]?/away': (ids, as) => post(`/work/${ids.work}?/away`, {}, {}, as),
	'GET /running': (_ids, as) => get('/running', as),
	'POST /running?/job': form('/running?/job', { job: '1' }),
	'POST /running?/letter': form('/running?/letter', { letter: '1' }),
	'GET /units/[id=uuid]/dialogue': (ids, as) => get(`/units/${ids.unit}/dialogue`, as),
	'GET /units/[id=uuid]/reach': (ids, as) => get(`/units/${ids.unit}/reach`, as),
	'POST /units/[id=uuid]/reach?/reach': (ids, as) =>
		post(
			`/units/${ids.unit}/reach?/reach`,
			{ address: '192.0.2.1', port: '22', user: 'x', password: 'y' },
			{},
			as
		),
	'POST /units/[id=uuid]/reach?/stop': (ids, as) => post(`/units/${ids.unit}/reach?/stop`, {}, {}, as),
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
	'GET /profiles/[id=uuid]/proof': async (_ids, as) => get(`/profiles/${await firstOf('profile')}/proof`, as),
	'POST /profiles/[id=uuid]/proof?/save': async (_ids, as) =>
		post(`/profiles/${uuid()}/proof?/save`, { loss: '20' }, {}, as),
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
	'GET /handovers': (_ids, as) => get('/handovers', as),
	'GET /handovers/zip': (ids, as) => get(`/handovers/zip?id=${ids.handover}`, as),
	'GET /handovers/[id=uuid]/[file]': (ids, as) => get(`/handovers/${ids.handover}/handover.json`, as),
	'GET /wall/[token]': (_ids, as) => get('/wall/nothing', as),
	'GET /wall/[token]/now': (_ids, as) => get('/wall/nothing/now', as),
	'GET /wall/[token]/land': (_ids, as) => get('/wall/nothing/land?latitude=1&longitude=1', as),
	'GET /records/reports': (ids, as) =>
		get(`/records/reports?part=inventory&part=standing&part=changes&customer=${ids.customer}`, as),
	'POST /records/reports?/make': (ids, as) => post('/records/reports?/make', reportForm(ids), {}, as),
	'POST /records/reports?/schedule': (ids, as) =>
		post('/records/reports?/schedule', scheduleForm(ids, ''), {}, as),
	'GET /records/reports/[id=uuid]': (ids, as) => get(`/records/reports/${ids.report}`, as),
	'POST /records/reports/[id=uuid]?/send': (ids, as) =>
		post(
			`/records/reports/${ids.report}?/send`,
			{ report: ids.report, recipients: 'walk@example.test' },
			{},
			as
		),
	'GET /records/reports/[id=uuid]/[file]': (ids, as) => get(`/records/reports/${ids.report}/csv`, as),
	'GET /records/reports/schedules/[id=uuid]': (ids, as) =>
		get(`/records/reports/schedules/${ids.schedule}`, as),
	'POST /records/reports/schedules/[id=uuid]?/save': (ids, as) =>
		post(`/records/reports/schedules/${ids.schedule}?/save`, scheduleForm(ids, ids.schedule), {}, as),
	'POST /records/reports/schedules/[id=uuid]?/end': (ids, as) =>
		post(`/records/reports/schedules/${ids.schedule}?/end`, { schedule: ids.schedule }, {}, as),
	'GET /records/reports/look': (ids, as) => get(`/records/reports/look?customer=${ids.customer}`, as),
	'POST /records/reports/look?/state': (ids, as) =>
		post(
			'/records/reports/look?/state',
			{ customer: ids.customer, name: 'x', colour: '', edit: '0' },
			{},
			as
		),
	'GET /units/retired': (_ids, as) => get('/units/retired', as),
	'POST /units/retired?/term': (ids, as) =>
		post('/units/retired?/term', { customer: ids.customer, years: '3' }, {}, as),
	'GET /units/retired/[id=uuid]': (ids, as) => get(`/units/retired/${ids.unit}`, as),
	'GET /units/[id=uuid]/life': (ids, as) => get(`/units/${ids.unit}/life`, as),
	'POST /units/[id=uuid]?/retire': (ids, as) => post(`/units/${ids.unit}?/retire`, {}, {}, as),
	'POST /units?/retire': (ids, as) => post('/units?/retire', { unit: ids.unit, reason: 'x' }, {}, as),
	'GET /sign-in/firm/back': (_ids, as) => get('/sign-in/firm/back?code=x&state=y', as),
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
		['try', 'renew', 'end', 'again'].map((act): [string, Ask] => [
			`POST /people/webhooks/[id=uuid]?/${act}`,
			(ids, as) =>
				post(`/people/webhooks/${ids.unit}?/${act}`, { webhook: ids.unit, delivery: ids.unit }, {}, as)
		])
	),
	'GET /sites/connectors': (_ids, as) => get('/sites/connectors', as),
	'POST /sites/connectors?/save': (ids, as) =>
		post('/sites/connectors?/save', { name: 'x', customer: ids.customer, url: 'https://x.example/' }, {}, as),
	'GET /sites/connectors/[id=uuid]': (ids, as) => get(`/sites/connectors/${ids.connector}`, as),
	...Object.fromEntries(
		['save', 'look', 'compare', 'map', 'take', 'decide', 'end'].map((act): [string, Ask] => [
			`POST /sites/connectors/[id=uuid]?/${act}`,
			(ids, as) =>
				post(
					`/sites/connectors/${ids.connector}?/${act}`,
					{
						...{ connector: ids.connector, run: ids.comparison, row: '2', side: 'there', edit: '1' },
						...(act === 'save' && { id: ids.connector, name: 'x' }),
						...(act === 'map' && { key: 'id', from: 'name', to: 'site' })
					},
					{},
					as
				)
		])
	),
	'GET /people/walls': (_ids, as) => get('/people/walls', as),
	'POST /people/walls?/make': (ids, as) =>
		post('/people/walls?/make', { name: 'x', customer: ids.customer }, {}, as),
	'POST /people/walls?/end': (ids, as) => post('/people/walls?/end', { screen: ids.unit }, {}, as),
	'GET /signing': (_ids, as) => get('/signing', as),
	'POST /signing?/renew': form('/signing?/renew', { pem: 'nothing' }),
	'POST /signing?/giveUp': (ids, as) => post('/signing?/giveUp', { customer: ids.customer }, {}, as),
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
	'GET /units/[id=uuid]/send': (ids, as) => get(`/units/${ids.unit}/send`, as),
	'POST /units/[id=uuid]/send?/send': (ids, as) =>
		post(`/units/${ids.unit}/send?/send`, { reading: ids.reading, fingerprint: 'a'.repeat(64) }, {}, as),
	'GET /units/[id=uuid]/dialogue/file': (ids, as) => get(`/units/${ids.unit}/dialogue/file`, as),
	'GET /units/[id=uuid]/readings/[reading=uuid]': (ids, as) =>
		get(`/units/${ids.unit}/readings/${ids.reading}`, as),
	'POST /units/[id=uuid]?/bind': async (ids, as) =>
		post(`/units/${ids.unit}?/bind`, { position: await openPosition(), unit: ids.unit }, {}, as),
	'POST /units/[id=uuid]?/answer': (ids, as) =>
		post(`/units/${ids.unit}?/answer`, { run: ids.run!, question: 'lamp', answer: 'off' }, {}, as),
	'POST /units/[id=uuid]?/askAnew': (ids, as) =>
		post(`/units/${ids.unit}?/askAnew`, { run: ids.run! }, {}, as),
	'POST /units/[id=uuid]?/settle': (ids, as) =>
		post(`/units/${ids.unit}?/settle`, { run: ids.run!, cause: 'no-power' }, {}, as),
	'POST /units/[id=uuid]?/restart': (ids, as) => post(`/units/${ids.unit}?/restart`, {}, {}, as),
	'POST /units/[id=uuid]?/unbind': (ids, as) =>
		post(`/units/${ids.unit}?/unbind`, { position: ids.position }, {}, as),
	'POST /units/[id=uuid]?/retry': (ids, as) =>
		post(`/units/${ids.unit}?/retry`, { position: ids.position }, {}, as),
	'POST /units/[id=uuid]?/service': (ids, as) => post(`/units/${ids.unit}?/service`, {}, {}, as),
	'POST /units/[id=uuid]?/giveUp': (ids, as) => post(`/units/${ids.unit}?/giveUp`, {}, {}, as),
	'POST /units/[id=uuid]?/code': (ids, as) =>
		post(`/units/${ids.unit}?/code`, { code: 'NEWCODE234' }, {}, as),
	'GET /profiles': (_ids, as) => get('/profiles', as),
	'GET /profiles/[id=uuid]': async (_ids, as) => get(`/profiles/${await firstOf('profile')}`, as),
	'POST /profiles?/part': form('/profiles?/part', { name: '' }),
	'POST /profiles?/profile': form('/profiles?/profile', { name: '' }),
	'GET /profiles/makers': (_ids, as) => get('/profiles/makers', as),
	'GET /profiles/makers/[id]': async (_ids, as) => get(`/profiles/makers/${await firstOf('maker')}`, as),
	'POST /profiles/makers/[id]?/ask': async (ids, as) =>
		post(`/profiles/makers/${await firstOf('maker')}?/ask`, { unit: ids.unit, ask: 'version' }, {}, as),
	'POST /profiles/makers/[id]?/revoke': async (_ids, as) =>
		post(`/profiles/makers/${await firstOf('maker')}?/revoke`, {}, {}, as),
	'POST /profiles/makers/[id]?/want': async (ids, as) =>
		post(
			`/profiles/makers/${await firstOf('maker')}?/want`,
			{ customer: ids.customer, wanted: 'no' },
			{},
			as
		),
	'GET /profiles/makers/load': (_ids, as) => get('/profiles/makers/load', as),
	'POST /profiles/makers/load?/compare': form('/profiles/makers/load?/compare', { pack: '{}' }),
	'POST /profiles/makers/load?/load': form('/profiles/makers/load?/load', { pack: '{}' }),
	'POST /profiles/makers/load?/try': form('/profiles/makers/load?/try', {
		pack: '{}',
		model: 'x',
		ask: 'version',
		printed: 'x'
	}),
	'GET /profiles/makers/packs/[id=uuid]': async (_ids, as) => {
		const { id } = await unwalled()('pack').orderBy('loaded_at').first('id');
		return get(`/profiles/makers/packs/${id}`, as);
	},
	'GET /profiles/makers/schema': (_ids, as) => get('/profiles/makers/schema', as),
	'GET /profiles/begin': (_ids, as) => get('/profiles/begin', as),
	'POST /profiles/begin?/default': form('/profiles/begin', { name: '' }),
	'GET /profiles/parts/from-text': (ids, as) => get(`/profiles/parts/from-text?position=${ids.position}`, as),
	'POST /profiles/parts/from-text?/default': form('/profiles/parts/from-text', { name: '' }),
	'GET /profiles/parts/[id=uuid]': async (_ids, as) => get(`/profiles/parts/${await firstOf('part')}`, as),
	'POST /profiles/parts/[id=uuid]?/save': async (_ids, as) =>
		post(`/profiles/parts/${await firstOf('part')}?/save`, {}, {}, as),
	'POST /profiles/parts/[id=uuid]?/library': async (_ids, as) =>
		post(`/profiles/parts/${await firstOf('part')}?/library`, {}, {}, as),
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
	'GET /profiles/takeon': (_ids, as) => get('/profiles/takeon', as),
	'POST /profiles/takeon?/begin': (ids, as) =>
		post('/profiles/takeon?/begin', { customer: ids.customer, name: 'x' }, {}, as),
	'GET /profiles/takeon/[id=uuid]': (ids, as) => get(`/profiles/takeon/${ids.takeOn}`, as),
	'GET /profiles/takeon/[id=uuid]/report': (ids, as) => get(`/profiles/takeon/${ids.takeOn}/report`, as),
	...Object.fromEntries(
		Object.entries<Record<string, string>>({
			bring: { name: 'x', text: 'hostname x' },
			units: { serials: 'OG8K00000000' },
			leave: { unit: uuid() },
			model: { unit: uuid(), model: 'og-8' },
			choose: { group: uuid(), choice: JSON.stringify({ kind: 'give', field: 'x' }) },
			undo: { group: uuid() },
			profile: { group: uuid(), name: 'x', role: 'gateway' },
			places: { places: '[]' },
			takeOn: { timeZone: 'Pacific/Auckland' },
			profiles: { profile: uuid() },
			stage: { stance: 'hold' },
			wayIn: { profile: uuid(), part: uuid() },
			rollOut: {},
			endOldWay: {},
			end: {}
		}).map(([act, fields]): [string, Ask] => [
			`POST /profiles/takeon/[id=uuid]?/${act}`,
			(ids, as) => post(`/profiles/takeon/${ids.takeOn}?/${act}`, fields, {}, as)
		])
	),
	'POST /profiles/parts/[id=uuid]?/release': async (_ids, as) =>
		post(`/profiles/parts/${await firstOf('part')}?/release`, {}, {}, as),
	'POST /profiles/parts/[id=uuid]?/drop': async (_ids, as) =>
		post(`/profiles/parts/${await firstOf('part')}?/drop`, {}, {}, as),
	'POST /profiles/parts/[id=uuid]?/retire': async (_ids, as) =>
		post(`/profiles/parts/${await firstOf('part')}?/retire`, {}, {}, as),
	'POST /profiles/[id=uuid]?/save': async (_ids, as) =>
		post(`/profiles/${await firstOf('profile')}?/save`, {}, {}, as),
	'POST /profiles/[id=uuid]?/preview': async (ids, as) =>
		post(`/profiles/${await firstOf('profile')}?/preview`, { position: ids.position, draft: '{}' }, {}, as),
	'POST /profiles/[id=uuid]?/again': async (_ids, as) =>
		post(`/profiles/${await firstOf('profile')}?/again`, {}, {}, as),
	'POST /profiles/[id=uuid]?/rehearse': async (_ids, as) =>
		post(`/profiles/${await firstOf('profile')}?/rehearse`, {}, {}, as),
	'POST /profiles/[id=uuid]?/drop': async (_ids, as) =>
		post(`/profiles/${await firstOf('profile')}?/drop`, { edit: '1' }, {}, as),
	'GET /profiles/[id=uuid]/release': async (_ids, as) =>
		get(`/profiles/${await firstOf('profile')}/release`, as),
	'POST /profiles/[id=uuid]/release?/default': async (_ids, as) =>
		post(`/profiles/${await firstOf('profile')}/release`, { edit: '1', why: 'x' }, {}, as),
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
	'GET /arrivals': (_ids, as) => get('/arrivals', as),
	'POST /arrivals?/bind': (ids, as) =>
		post('/arrivals?/bind', { position: ids.position, unit: ids.unit }, {}, as),
	'POST /arrivals?/unbind': (ids, as) => post('/arrivals?/unbind', { position: ids.position }, {}, as),
	'POST /arrivals?/away': (ids, as) => post('/arrivals?/away', { caller: ids.caller }, {}, as),
	'POST /arrivals?/ask': (ids, as) => post('/arrivals?/ask', { caller: ids.caller }, {}, as),
	'POST /arrivals?/retry': (ids, as) => post('/arrivals?/retry', { position: ids.position }, {}, as),
	'POST /arrivals?/retryGroup': (ids, as) => post('/arrivals?/retryGroup', { group: ids.unit }, {}, as),
	'GET /arrivals/normal': (_ids, as) => get('/arrivals/normal', as),
	'GET /arrivals/needs': (_ids, as) => get('/arrivals/needs', as),
	'GET /arrivals/rows': (_ids, as) => get('/arrivals/rows?offset=0', as),
	'GET /records/intended': (ids, as) => get(`/records/intended?unit=${ids.unit}`, as),
	'GET /records/intended/file': (ids, as) => get(`/records/intended/file?unit=${ids.unit}&as=csv`, as),
	'GET /upkeep': (_ids, as) => get('/upkeep', as),
	'GET /upkeep/behind': (_ids, as) => get('/upkeep/behind?why=values', as),
	'GET /upkeep/cohorts': (_ids, as) => get('/upkeep/cohorts', as),
	'POST /upkeep/cohorts?/keep': (ids, as) =>
		post('/upkeep/cohorts?/keep', { customer: ids.customer, name: 'x', rule: 'drift=behind' }, {}, as),
	'POST /upkeep/cohorts?/replace': (ids, as) =>
		post('/upkeep/cohorts?/replace', { cohort: ids.cohort, model: 'og-8', name: 'x' }, {}, as),
	'GET /upkeep/replacements/[id=uuid]': (ids, as) => get(`/upkeep/replacements/${ids.replacement}`, as),
	'POST /upkeep/replacements/[id=uuid]?/give': (ids, as) =>
		post(`/upkeep/replacements/${ids.replacement}?/give`, { units: 'OG8K00000000' }, {}, as),
	...Object.fromEntries(
		['takeBack', 'swap', 'look', 'end'].map((act): [string, Ask] => [
			`POST /upkeep/replacements/[id=uuid]?/${act}`,
			(ids, as) => post(`/upkeep/replacements/${ids.replacement}?/${act}`, { position: ids.position }, {}, as)
		])
	),
	'POST /upkeep/cohorts?/drop': (ids, as) => post('/upkeep/cohorts?/drop', { cohort: ids.cohort }, {}, as),
	'POST /units?/smallChange': (ids, as) => post('/units?/smallChange', { unit: ids.unit }, {}, as),
	'GET /upkeep/change/[id=uuid]': (ids, as) => get(`/upkeep/change/${ids.change}`, as),
	'POST /upkeep/change/[id=uuid]?/look': (ids, as) =>
		post(`/upkeep/change/${ids.change}?/look`, { kind: 'value', field: 'hostname', value: 'x' }, {}, as),
	'POST /upkeep/change/[id=uuid]?/keep': (ids, as) =>
		post(`/upkeep/change/${ids.change}?/keep`, { edit: '0' }, {}, as),
	'GET /upkeep/secrets': (_ids, as) => get('/upkeep/secrets', as),
	'GET /upkeep/secrets/file': (_ids, as) => get('/upkeep/secrets/file?as=csv', as),
	'POST /upkeep/secrets?/renew': (ids, as) => post('/upkeep/secrets?/renew', { secret: ids.secret }, {}, as),
	'POST /upkeep/secrets?/due': (_ids, as) => post('/upkeep/secrets?/due', {}, {}, as),
	'POST /upkeep/secrets?/newKey': (_ids, as) =>
		post('/upkeep/secrets?/newKey', { key: 'SHA256:none' }, {}, as),
	'POST /upkeep/secrets?/bringToKey': (_ids, as) =>
		post('/upkeep/secrets?/bringToKey', { key: 'SHA256:none' }, {}, as),
	'POST /upkeep/secrets?/rule': (ids, as) =>
		post('/upkeep/secrets?/rule', { customer: ids.customer, about: '', days: '90' }, {}, as),
	'POST /upkeep/secrets?/dropRule': (ids, as) =>
		post('/upkeep/secrets?/dropRule', { customer: ids.customer, about: '' }, {}, as),
	'GET /upkeep/firmware': (_ids, as) => get('/upkeep/firmware', as),
	'POST /upkeep/firmware?/state': (_ids, as) =>
		post('/upkeep/firmware?/state', { image: uuid(), edit: '0', state: 'allowed' }, {}, as),
	'POST /upkeep/firmware?/target': (ids, as) =>
		post(
			'/upkeep/firmware?/target',
			{ customer: ids.customer, line: 'okapira-og', version: '0.0.1' },
			{},
			as
		),
	'POST /upkeep/firmware?/drop': (ids, as) => post('/upkeep/firmware?/drop', { target: ids.target }, {}, as),
	'GET /upkeep/images/[line]/[version]': (_ids, as) => get('/upkeep/images/x/1', as),
	'GET /upkeep/archive': (_ids, as) => get('/upkeep/archive?words=port&ever', as),
	'POST /upkeep/archive?/rule': form('/upkeep/archive?/rule', {
		reads: 'daily',
		keepVersions: '50',
		keepDays: '730',
		holdAnHour: '6'
	}),
	'GET /upkeep/alerts/rules': (ids, as) => get(`/upkeep/alerts/rules?customer=${ids.customer}`, as),
	'POST /upkeep/alerts/rules?/save': (ids, as) =>
		post(
			'/upkeep/alerts/rules?/save',
			{ customer: ids.customer, name: 'x', rule: '{"about":"not heard","minutes":1440}' },
			{},
			as
		),
	'POST /upkeep/alerts/rules?/drop': (ids, as) =>
		post('/upkeep/alerts/rules?/drop', { id: ids.alertRule }, {}, as),
	'GET /upkeep/alerts/[id=uuid]': (ids, as) => get(`/upkeep/alerts/${ids.alert}`, as),
	'POST /upkeep/alerts/[id=uuid]?/take': (ids, as) =>
		post(`/upkeep/alerts/${ids.alert}?/take`, { alert: ids.alert }, {}, as),
	'POST /upkeep/alerts/[id=uuid]?/note': (ids, as) =>
		post(`/upkeep/alerts/${ids.alert}?/note`, { alert: ids.alert, words: 'x' }, {}, as),
	'GET /upkeep/windows': (ids, as) => get(`/upkeep/windows?site=${ids.site}`, as),
	'POST /upkeep/windows?/save': (ids, as) =>
		post(`/upkeep/windows?site=${ids.site}&/save`, { rule: JSON.stringify(NO_RULE), edit: '0' }, {}, as),
	'POST /upkeep/windows?/holidays': (ids, as) =>
		post(`/upkeep/windows?site=${ids.site}&/holidays`, { rule: JSON.stringify(NO_RULE), edit: '0' }, {}, as),
	'GET /upkeep/most': (_ids, as) => get('/upkeep/most', as),
	'GET /upkeep/events': (ids, as) => get(`/upkeep/events?unit=${ids.unit}`, as),
	'POST /upkeep/events?/see': (ids, as) => post('/upkeep/events?/see', { alert: ids.alert }, {}, as),
	'POST /?/see': (ids, as) => post('/?/see', { alert: ids.alert }, {}, as),
	'POST /upkeep/windows?/stance': (ids, as) =>
		post(`/upkeep/windows?site=${ids.site}&/stance`, { stance: 'watch' }, {}, as),
	'POST /units/[id=uuid]/versions?/save': (ids, as) =>
		post(`/units/${ids.unit}/versions?/save`, { finding: ids.finding }, {}, as),
	'POST /units/[id=uuid]/versions?/stance': (ids, as) =>
		post(`/units/${ids.unit}/versions?/stance`, { stance: 'watch' }, {}, as),
	'GET /api/v1/alerts': (_ids, _as, token) => program(token, 'GET', '/api/v1/alerts'),
	'GET /upkeep/archive/zip': (ids, as) => get(`/upkeep/archive/zip?version=${ids.version}`, as),
	'GET /upkeep/findings/[id=uuid]': (ids, as) => get(`/upkeep/findings/${ids.finding}`, as),
	'POST /upkeep/findings/[id=uuid]?/right': (ids, as) =>
		post(`/upkeep/findings/${ids.finding}?/right`, { finding: ids.finding }, {}, as),
	'POST /upkeep/findings/[id=uuid]?/accept': (ids, as) =>
		post(`/upkeep/findings/${ids.finding}?/accept`, { finding: ids.finding, scope: 'position' }, {}, as),
	'POST /upkeep/findings/[id=uuid]?/leave': (ids, as) =>
		post(
			`/upkeep/findings/${ids.finding}?/leave`,
			{ finding: ids.finding, until: TOMORROW, why: 'walk' },
			{},
			as
		),
	'POST /upkeep/findings/[id=uuid]?/takeUp': (ids, as) =>
		post(`/upkeep/findings/${ids.finding}?/takeUp`, { finding: ids.finding }, {}, as),
	'GET /units/[id=uuid]/versions': (ids, as) =>
		get(`/units/${ids.unit}/versions?version=1&with=intended`, as),
	'GET /units/[id=uuid]/versions/[number]': (ids, as) => get(`/units/${ids.unit}/versions/1`, as),
	'POST /units/[id=uuid]/versions?/read': (ids, as) => post(`/units/${ids.unit}/versions?/read`, {}, {}, as),
	'POST /units/[id=uuid]/versions?/pin': (ids, as) =>
		post(`/units/${ids.unit}/versions?/pin`, { version: ids.version, why: 'walk' }, {}, as),
	'POST /units/[id=uuid]/versions?/unpin': (ids, as) =>
		post(`/units/${ids.unit}/versions?/unpin`, { version: ids.version }, {}, as),
	'POST /units/[id=uuid]/versions?/leave': (ids, as) =>
		post(
			`/units/${ids.unit}/versions?/leave`,
			{ finding: ids.finding, until: TOMORROW, why: 'walk' },
			{},
			as
		),
	'POST /units/[id=uuid]/versions?/takeUp': (ids, as) =>
		post(`/units/${ids.unit}/versions?/takeUp`, { finding: ids.finding }, {}, as),
	'PUT /upkeep/images/[line]/[version]': (_ids, as) =>
		get('/upkeep/images/x/1', as, { method: 'PUT', body: 'x', headers: { origin: address('') } }),
	'GET /records': (ids, as) => get(`/records?unit=${ids.unit}`, as),
	'GET /records/csv': (ids, as) => get(`/records/csv?unit=${ids.unit}`, as),
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
	'GET /find': (ids, as) => get(`/find?q=${ids.serial}`, as),
	'POST /customer': async (ids, as) => {
		// Chosen or not: the next page must show nothing of them
		const cookie = `${as.cookie}; customer=${ids.customer}`;
		await post('/customer', { customer: ids.customer, back: '/sites' }, {}, as);
		return get('/sites', as, { headers: { cookie } });
	},
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
	'GET /components': (_ids, as) => get('/components', as),
	'GET /start': (_ids, as) => get('/start', as),
	'GET /healthz': (_ids, as) => get('/healthz', as),
	'GET /readyz': (_ids, as) => get('/readyz', as),
	'GET /.well-known/host-meta': (_ids, as) => get('/.well-known/host-meta', as),
	'GET /images/[line]/[version]': (_ids, as) => get('/images/nothing/1', as),
	'GET /files/[hash]/[name]': (_ids, as) => get(`/files/${'0'.repeat(64)}/nothing`, as),
	'POST /restconf/operations/[operation]': (ids) =>
		invoke('get-bootstrapping-data', { serial: ids.serial, claimCode: 'WRONGCODE' }),
	'fallback /restconf/operations/[operation]': (_ids, as) => get('/restconf/operations/x', as),
	'OPTIONS /restconf/operations/[operation]': () => overTls('/restconf/operations/x', { method: 'OPTIONS' }),
	'GET /restconf/[...resource]': (_ids, as) => get('/restconf/data', as),
	'OPTIONS /restconf/[...resource]': () => overTls('/restconf', { method: 'OPTIONS' }),
	'fallback /restconf/[...resource]': () => overTls('/restconf', { method: 'DELETE' }),
	'GET /api/v1/customers': (_ids, _as, token) => program(token, 'GET', '/api/v1/customers'),
	'GET /api/v1/profiles': (_ids, _as, token) => program(token, 'GET', '/api/v1/profiles'),
	'GET /api/v1/pages/[...path]': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/pages/sites/${ids.site}`),
	'POST /api/v1/acts/[...path]': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/acts/sites/${ids.site}/prove`, {}),
	'POST /account?/endToken': (ids, as) => post('/account?/endToken', { token: ids.token }, {}, as),
	'GET /api/v1/openapi.json': (_ids, as) => get('/api/v1/openapi.json', as),
	'POST /api/v1/batches': (ids, _as, token) =>
		program(token, 'POST', '/api/v1/batches', { customerId: ids.customer, text: lineOf(newLabel()) }),
	'GET /api/v1/batches/[id=uuid]': (ids, _as, token) => program(token, 'GET', `/api/v1/batches/${ids.batch}`),
	'POST /api/v1/bindings': async (ids, _as, token) =>
		program(token, 'POST', '/api/v1/bindings', {
			positionId: ids.position,
			unitId: (await newUnit()).unitId
		}),
	'DELETE /api/v1/bindings/[position=uuid]': (ids, _as, token) =>
		program(token, 'DELETE', `/api/v1/bindings/${ids.position}`),
	'GET /api/v1/positions': (_ids, _as, token) => program(token, 'GET', '/api/v1/positions'),
	'POST /api/v1/positions/[id=uuid]/retry': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/positions/${ids.position}/retry`),
	'GET /api/v1/units': (ids, _as, token) => program(token, 'GET', `/api/v1/units?serial=${ids.serial}`),
	'GET /api/v1/sites': (_ids, _as, token) => program(token, 'GET', '/api/v1/sites'),
	'GET /api/v1/sites/[id=uuid]/proof': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/proof`),
	'GET /api/v1/sites/[id=uuid]/rehearsal': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/rehearsal`),
	'GET /api/v1/sites/[id=uuid]/reachability': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/reachability`),
	'POST /api/v1/sites/[id=uuid]/proof': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/sites/${ids.site}/proof`),
	'GET /api/v1/handovers': (_ids, _as, token) => program(token, 'GET', '/api/v1/handovers'),
	'GET /api/v1/handovers/[id=uuid]/[file]': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/handovers/${ids.handover}/handover.json`),
	'GET /api/v1/runs': (_ids, _as, token) => program(token, 'GET', '/api/v1/runs'),
	'GET /api/v1/runs/[id=uuid]': (ids, _as, token) => program(token, 'GET', `/api/v1/runs/${ids.run}`)
};
const program = (token: string, method: string, path: string, body?: object) =>
	fetch(address(path), {
		method,
		headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
		body: body ? JSON.stringify(body) : null
	});
