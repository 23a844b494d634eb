import { v7 as uuid } from 'uuid';
import { NO_RULE } from '../../../src/core/windows';
import { address, get, post } from '../making';
import type { Ids } from '../things';
import { form, TOMORROW, type Ask, type Asks } from './asking';

const aboutForm = ({ customer }: Ids): Record<string, string> => ({ customer, cohort: '', parts: 'health' });
const reportForm = (ids: Ids): Record<string, string> => ({
	...aboutForm(ids),
	from: '2026-11-01',
	to: '2026-11-30'
});
const scheduleForm = (ids: Ids, id: string): Record<string, string> => ({
	...aboutForm(ids), id, edit: '1', name: 'A report of the walk', every: 'month', weekday: '1', monthDay: '1', hour: '7', zone: 'UTC',
	recipients: 'walk@example.test'
}); // prettier-ignore

/** Upkeep, records, and what Limen does by itself. */
export const KEEPING: Asks = {
	'GET /upkeep/health': (_ids, as) => get('/upkeep/health', as),
	'GET /work': (_ids, as) => get('/work', as),
	'GET /work/[id=uuid]': (ids, as) => get(`/work/${ids.work}`, as),
	'GET /work/[id=uuid]/file': (ids, as) => get(`/work/${ids.work}/file`, as),
	'POST /work/[id=uuid]?/cancel': (ids, as) => post(`/work/${ids.work}?/cancel`, {}, {}, as),
	'POST /work/[id=uuid]?/away': (ids, as) => post(`/work/${ids.work}?/away`, {}, {}, as),
	'GET /running': (_ids, as) => get('/running', as),
	'POST /running?/job': form('/running?/job', { job: '1' }),
	'POST /running?/letter': form('/running?/letter', { letter: '1' }),
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
		['takeBack', 'swap'].map((act): [string, Ask] => [
			`POST /upkeep/replacements/[id=uuid]?/${act}`,
			(ids, as) => post(`/upkeep/replacements/${ids.replacement}?/${act}`, { position: ids.position }, {}, as)
		])
	),
	...Object.fromEntries(
		['look', 'end'].map((act): [string, Ask] => [
			`POST /upkeep/replacements/[id=uuid]?/${act}`,
			(ids, as) => post(`/upkeep/replacements/${ids.replacement}?/${act}`, {}, {}, as)
		])
	),
	'POST /upkeep/cohorts?/drop': (ids, as) => post('/upkeep/cohorts?/drop', { cohort: ids.cohort }, {}, as),
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
	'POST /upkeep/windows?/stance': (ids, as) =>
		post(`/upkeep/windows?site=${ids.site}&/stance`, { stance: 'watch' }, {}, as),
	'GET /upkeep/archive/zip': (ids, as) => get(`/upkeep/archive/zip?version=${ids.version}`, as),
	'GET /upkeep/findings/[id=uuid]': (ids, as) => get(`/upkeep/findings/${ids.finding}`, as),
	'POST /upkeep/findings/[id=uuid]?/right': (ids, as) =>
		post(`/upkeep/findings/${ids.finding}?/right`, { finding: ids.finding }, {}, as),
	'POST /upkeep/findings/[id=uuid]?/look': (ids, as) =>
		post(`/upkeep/findings/${ids.finding}?/look`, { finding: ids.finding }, {}, as),
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
	'PUT /upkeep/images/[line]/[version]': (_ids, as) =>
		get('/upkeep/images/x/1', as, { method: 'PUT', body: 'x', headers: { origin: address('') } }),
	'GET /records': (ids, as) => get(`/records?unit=${ids.unit}`, as),
	'GET /records/csv': (ids, as) => get(`/records/csv?unit=${ids.unit}`, as)
};
