import { v7 as uuid } from 'uuid';
import { get, post, unwalled } from '../making';
import { firstOf } from '../things';
import { form, type Ask, type Asks } from './asking';

/** Profiles, their parts and patterns. */
export const PROFILES: Asks = {
	'GET /profiles/[id=uuid]/proof': async (_ids, as) => get(`/profiles/${await firstOf('profile')}/proof`, as),
	'POST /profiles/[id=uuid]/proof?/save': async (_ids, as) =>
		post(`/profiles/${uuid()}/proof?/save`, { loss: '20' }, {}, as),
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
		post(`/profiles/${await firstOf('profile')}/release`, { edit: '1', why: 'x' }, {}, as)
};
