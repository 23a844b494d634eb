import { readFileSync } from 'node:fs';
import { seal } from '../../../src/lib/server/keys';
import { asOwner, lineOf, newLabel, newPerson, newUnit, openPosition, post, unwalled } from '../making';
import { provenSite } from '../records/handover-making';
import type { Ids } from '../things';
import type { Ask } from '../walk';
import { ARRIVING } from './arriving';
import { nameOf } from './names';
import { ONLINE } from './online';
import { PLANNED } from './planned';
import { SECRETS } from './secrets';
import { TAKING_ON } from './taking-on';
import { WRITING } from './writing';

/**
 * What has to be so before an act can be done, where the walk's own things do not do: for whoever does each act once. By the
 * walk's names of routes.
 */
const openOf = async (ids: Ids) => openPosition('gateway', await nameOf(ids));
const unitOf = async (ids: Ids) => (await newUnit('gateway', await nameOf(ids))).unitId;
const siteOf = async (position: string): Promise<string> =>
	(await unwalled()('position').where({ id: position }).first('site_id')).site_id;
const newest = async (table: string, where: object): Promise<string> =>
	(await unwalled()(table).where(where).orderBy('id', 'desc').first('id')).id;
const packOf = (maker: string): string => readFileSync(`demo/packs/${maker}.json`, 'utf8');

const bindAt =
	(path: string): Ask =>
	async (ids, as) =>
		post(path, { position: await openOf(ids), unit: await unitOf(ids) }, {}, as);
const savedView =
	(path: string): Ask =>
	(_ids, as) =>
		post(`${path}?/saveView`, { name: 'A view of a program', query: 'q=clinic' }, {}, as);
const droppedView =
	(path: string): Ask =>
	async (ids, as, token) => {
		await savedView(path)(ids, as, token);
		return post(`${path}?/dropView`, { view: await newest('saved_view', { person_id: as.id }) }, {}, as);
	};
const rowAt =
	(act: string, more: Record<string, string> = {}): Ask =>
	(ids, as) =>
		// The row that could not be read
		post(`/intake/${ids.batch}?/${act}`, { row: '2', ...more }, {}, as);
const WEBHOOK = { name: 'x', url: 'https://x.example/', kinds: 'alert.begun' };
const atWebhook =
	(act: string, more: Record<string, string> = {}): Ask =>
	async (ids, as) => {
		await post('/people/webhooks?/save', { ...WEBHOOK, customer: ids.customer }, {}, as);
		const webhook = await newest('webhook', { customer_id: ids.customer });
		return post(
			`/people/webhooks/${webhook}?/${act}`,
			act === 'save' ? { id: webhook, ...more } : { webhook },
			{},
			as
		);
	};
const ownKey: Ask = (ids, as) => post('/signing?/renew', { customer: ids.customer }, {}, as);

export const SCENES: Readonly<Record<string, Ask>> = {
	...ARRIVING,
	...ONLINE,
	...PLANNED,
	...SECRETS,
	...TAKING_ON,
	...WRITING,
	'POST /?/bind': bindAt('/?/bind'),
	'POST /arrivals?/bind': bindAt('/arrivals?/bind'),
	'POST /phone?/bind': bindAt('/phone?/bind'),
	'POST /phone?/undo': async (ids, as) => {
		const position = await openOf(ids);
		await post('/phone?/bind', { position, unit: await unitOf(ids) }, {}, as);
		return post('/phone?/undo', { position }, {}, as);
	},
	'POST /sites/[id=uuid]?/bind': async (ids, as) => {
		const position = await openOf(ids);
		return post(`/sites/${await siteOf(position)}?/bind`, { position, unit: await unitOf(ids) }, {}, as);
	},
	'POST /sites/[id=uuid]?/swap': async (ids, as) =>
		post(`/sites/${ids.site}?/swap`, { position: ids.position, unit: await unitOf(ids) }, {}, as),
	'POST /sites/[id=uuid]?/remove': async (ids, as) => {
		const position = await openOf(ids);
		return post(`/sites/${await siteOf(position)}?/remove`, { position }, {}, as);
	},
	'POST /units/[id=uuid]?/bind': async (ids, as) => {
		const unit = await unitOf(ids);
		return post(`/units/${unit}?/bind`, { position: await openOf(ids), unit }, {}, as);
	},
	'POST /units/[id=uuid]?/retire': async (ids, as) => post(`/units/${await unitOf(ids)}?/retire`, {}, {}, as),
	'POST /units?/retire': async (ids, as) => post('/units?/retire', { unit: await unitOf(ids) }, {}, as),
	'POST /sites?/saveView': savedView('/sites'),
	'POST /sites?/dropView': droppedView('/sites'),
	'POST /units?/saveView': savedView('/units'),
	'POST /units?/dropView': droppedView('/units'),
	'POST /addresses/ways?/remove': async (ids, as) => {
		const way = { name: 'Of a program', kind: 'socks5', host: '192.0.2.1', port: '1080', user: '' };
		await post('/addresses/ways?/make', { ...way, customer: ids.customer, ranges: '192.0.2.0/24' }, {}, as);
		const id = await newest('way_in', { customer_id: ids.customer });
		return post('/addresses/ways?/remove', { way: id }, {}, as);
	},
	'POST /people/groups?/unmap': async (ids, as) => {
		const mapped = { group: 'of a program', duty: 'reader', customer: ids.customer };
		await post('/people/groups?/map', mapped, {}, as);
		const id = await newest('firm_group', { customer_id: ids.customer });
		return post('/people/groups?/unmap', { mapped: id }, {}, as);
	},
	'POST /intake/[id=uuid]?/mend': (ids, as, token) =>
		rowAt('mend', { text: lineOf(newLabel()) })(ids, as, token),
	'POST /intake/[id=uuid]?/drop': rowAt('drop'),
	'POST /people/webhooks/[id=uuid]?/save': atWebhook('save', { ...WEBHOOK, edit: '1' }),
	'POST /people/webhooks/[id=uuid]?/try': atWebhook('try'),
	'POST /people/webhooks/[id=uuid]?/renew': atWebhook('renew'),
	'POST /people/webhooks/[id=uuid]?/end': atWebhook('end'),
	'POST /people/walls?/end': async (ids, as) => {
		await post('/people/walls?/make', { name: 'x', customer: ids.customer }, {}, as);
		const screen = await newest('wall_screen', { customer_id: ids.customer });
		return post('/people/walls?/end', { screen }, {}, as);
	},
	'POST /people?/token': (ids, as) =>
		post('/people?/token', { name: 'x', days: '1', act: 'see', customer: ids.customer }, {}, as),
	'POST /signing?/renew': ownKey,
	'POST /signing?/giveUp': async (ids, as, token) => {
		await ownKey(ids, as, token);
		return post('/signing?/giveUp', { customer: ids.customer }, {}, as);
	},
	'POST /people?/codes': async (_ids, as) => {
		const person = await newPerson({});
		await unwalled()('person')
			.where({ id: person.id })
			.update({ totp_secret: seal('JBSWY3DPEHPK3PXP'), totp_confirmed_at: new Date() });
		return post('/people?/codes', { person: person.id }, {}, as);
	},
	'POST /running?/job': async (_ids, as) => {
		const { rows } = await asOwner(
			`select (limen_jobs.add_job('nobody does this', run_at := now() + interval '1 day')).id`
		);
		return post('/running?/job', { job: String(rows[0].id) }, {}, as);
	},
	'POST /work/[id=uuid]?/away': async (ids, as) => {
		await unwalled()('long_work').where({ id: ids.work }).update({ person_id: as.id });
		await post(`/work/${ids.work}?/cancel`, {}, {}, as);
		return post(`/work/${ids.work}?/away`, {}, {}, as);
	},
	'POST /profiles?/part': (_ids, as) => post('/profiles?/part', { name: `Part of ${as.id}` }, {}, as),
	'POST /profiles?/profile': (_ids, as) =>
		post('/profiles?/profile', { name: `Profile of ${as.id}`, role: 'gateway' }, {}, as),
	'POST /profiles/makers/load?/compare': (_ids, as) =>
		post('/profiles/makers/load?/compare', { pack: packOf('okapira') }, {}, as),
	'POST /profiles/makers/load?/try': (_ids, as) =>
		post(
			'/profiles/makers/load?/try',
			{ pack: packOf('okapira'), model: 'og-2', ask: 'version', printed: 'running release 7.0.2;' },
			{},
			as
		),
	'POST /upkeep/archive?/rule': (ids, as) =>
		post(
			`/upkeep/archive?/rule&customer=${ids.customer}`,
			{ reads: 'daily', keepVersions: '50', keepDays: '730', holdAnHour: '6' },
			{},
			as
		),
	'POST /upkeep/firmware?/target': async (ids, as) => {
		const image = await unwalled()('image').orderBy('id').first('firmware_line', 'version');
		const wanted = { customer: ids.customer, line: image.firmware_line, version: image.version };
		return post('/upkeep/firmware?/target', wanted, {}, as);
	},
	'POST /upkeep/firmware?/state': async (_ids, as) => {
		const image = await unwalled()('image').orderBy('id').first('id', 'edit');
		return post(
			'/upkeep/firmware?/state',
			{ image: image.id, edit: String(image.edit), state: 'allowed', reason: '', notes: '' },
			{},
			as
		);
	},
	'POST /sites/[id=uuid]/handover?/make': async (_ids, as) => {
		const { site } = await provenSite();
		const given = { acceptedBy: 'Bryony Castell', how: 'on the screen', signature: 'M10 10L20 30L40 5' };
		return post(`/sites/${site}/handover?/make`, given, {}, as);
	},
	'POST /addresses/surveys/[id=uuid]?/stop': async (ids, as) => {
		const begun = { customer: ids.customer, name: 'y', begins: '192.0.2.1', ranges: '192.0.2.0/24' };
		await post('/addresses/surveys?/begin', begun, {}, as);
		const survey = await newest('survey', { customer_id: ids.customer, name: 'y' });
		return post(`/addresses/surveys/${survey}?/stop`, {}, {}, as);
	},
	'POST /units/[id=uuid]/reach?/stop': async (ids, as) => {
		const unit = await unitOf(ids);
		const reached = { address: '192.0.2.7', port: '22', user: 'x', password: 'y' };
		await post(`/units/${unit}/reach?/reach`, reached, {}, as);
		return post(`/units/${unit}/reach?/stop`, {}, {}, as);
	},
	'POST /upkeep/secrets?/dropRule': async (ids, as) => {
		await post('/upkeep/secrets?/rule', { customer: ids.customer, about: '', days: '90' }, {}, as);
		return post('/upkeep/secrets?/dropRule', { customer: ids.customer, about: '' }, {}, as);
	}
};
