import { USUAL_RULES } from '../../../src/core/rollout';
import { get, lineOf, newLabel, openPosition, post } from '../making';
import { form, TOMORROW, type Ask, type Asks } from './asking';

/** Units that are claimed, bound and on their way. */
export const ARRIVING: Asks = {
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
	'GET /arrivals/rollouts/[id=uuid]/rows': (ids, as) => get(`/arrivals/rollouts/${ids.rollout}/rows`, as),
	'POST /arrivals/rollouts/[id=uuid]?/begin': (ids, as) =>
		post(
			`/arrivals/rollouts/${ids.rollout}?/begin`,
			{ title: 'x', rules: JSON.stringify(USUAL_RULES), units: '1' },
			{},
			as
		),
	...Object.fromEntries(
		['look', 'pause', 'goOn', 'end', 'back', 'throwAway'].map((act): [string, Ask] => [
			`POST /arrivals/rollouts/[id=uuid]?/${act}`,
			(ids, as) => post(`/arrivals/rollouts/${ids.rollout}?/${act}`, {}, {}, as)
		])
	),
	...Object.fromEntries(
		['leaveOut', 'doNow'].map((act): [string, Ask] => [
			`POST /arrivals/rollouts/[id=uuid]?/${act}`,
			(ids, as) => post(`/arrivals/rollouts/${ids.rollout}?/${act}`, { unit: ids.unit }, {}, as)
		])
	),
	'GET /units/[id=uuid]/health': (ids, as) => get(`/units/${ids.unit}/health?span=week`, as),
	'GET /units/[id=uuid]/health/file': (ids, as) => get(`/units/${ids.unit}/health/file`, as),
	'GET /units/[id=uuid]/firmware': (ids, as) => get(`/units/${ids.unit}/firmware`, as),
	'POST /units/[id=uuid]/firmware?/flash': (ids, as) =>
		post(`/units/${ids.unit}/firmware?/flash`, { to: '7.0.3' }, {}, as),
	'POST /bundles': (ids, as) => post('/bundles', { unit: ids.unit, kind: 'ask' }, {}, as),
	'GET /arrivals/keys/[caller]': (_ids, as) => get('/arrivals/keys/1', as),
	'POST /arrivals/keys/[caller]?/default': (ids, as) => post('/arrivals/keys/1', { unit: ids.unit }, {}, as),
	'POST /labels': (ids, as) => post('/labels', { unit: ids.unit, position: ids.position }, {}, as),
	'GET /progress/[token]': (_ids, as) => get('/progress/nothing', as),
	'POST /progress/[token]?/answer': (_ids, as) =>
		post('/progress/nothing?/answer', { box: 'gw-1', question: 'lamp', answer: 'off' }, {}, as),
	'GET /progress/[token]/now': (_ids, as) => get('/progress/nothing/now', as),
	'GET /units/[id=uuid]': (ids, as) => get(`/units/${ids.unit}`, as),
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
	'GET /units/retired': (_ids, as) => get('/units/retired', as),
	'POST /units/retired?/term': (ids, as) =>
		post('/units/retired?/term', { customer: ids.customer, years: '3' }, {}, as),
	'GET /units/retired/[id=uuid]': (ids, as) => get(`/units/retired/${ids.unit}`, as),
	'GET /units/[id=uuid]/life': (ids, as) => get(`/units/${ids.unit}/life`, as),
	'POST /units/[id=uuid]?/retire': (ids, as) => post(`/units/${ids.unit}?/retire`, {}, {}, as),
	'POST /units?/retire': (ids, as) => post('/units?/retire', { unit: ids.unit, reason: 'x' }, {}, as),
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
	'GET /arrivals/rows': (_ids, as) => get('/arrivals/rows', as),
	'POST /units?/smallChange': (ids, as) => post('/units?/smallChange', { unit: ids.unit }, {}, as),
	'POST /?/see': (ids, as) => post('/?/see', { alert: ids.alert }, {}, as),
	'POST /units/[id=uuid]/versions?/save': (ids, as) =>
		post(`/units/${ids.unit}/versions?/save`, { finding: ids.finding }, {}, as),
	'POST /units/[id=uuid]/versions?/stance': (ids, as) =>
		post(`/units/${ids.unit}/versions?/stance`, { stance: 'watch' }, {}, as),
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
	'GET /find': (ids, as) => get(`/find?q=${ids.serial}`, as)
};
