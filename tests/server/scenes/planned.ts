import { NO_RULE } from '../../../src/core/windows';
import { createPool, savePattern } from '../../../src/lib/server/plan';
import { ACTOR, answerOf, customerId, customerLike, openPosition, post, unwalled } from '../making';
import { Network, proven, tunnelPool } from '../network';
import { again, fresh, newPattern, profileId, siteForm, stamped } from '../plan/pattern-making';
import { field, freshField, must, releasedPart, releasedProfile } from '../profile/profile-making';
import type { Ask } from '../walk';
import { made } from './writing';

const BAKERY = 'Pippin & Loaf';
const hubOf = async (): Promise<string> =>
	(
		await unwalled()('position')
			.where({ name: 'hub-1', customer_id: await customerId(BAKERY) })
			.first('id')
	).id;

/** A pattern with one site of it, which has been changed since. */
async function changedPattern(more: { tunnelTo?: string } = {}) {
	const { id } = await newPattern();
	await stamped(id, [['site'], [fresh('bakery')]]);
	const edited = await again(id);
	const places = edited.places.map((place) =>
		place.name === 'rt-1' ? { ...place, ...more, ...(!more.tunnelTo && { name: 'rt-9' }) } : place
	);
	must(await savePattern(await customerId(BAKERY), { ...edited, places }, ACTOR));
	const { id: site } = await unwalled()('site').where({ pattern_id: id }).first('id');
	return { id, site: site as string };
}
async function bakery(as: Parameters<Ask>[1]): Promise<string> {
	return made(
		await post('/sites/new?/plan', { ...(await siteForm(fresh('bakery'))), pattern: 'none' }, {}, as)
	);
}

/** A customer's hub and one bakery, whose units are online; it hangs up afterwards. */
async function withNetwork(
	act: (
		network: Network,
		site: Awaited<ReturnType<Network['broughtOnline']>>,
		hub: string
	) => Promise<Response>
): Promise<Response> {
	const network = new Network(await customerLike(BAKERY));
	try {
		const hub = await network.planHub();
		const planned = await network.plannedSite('scene', true);
		await network.online('router', hub);
		return await act(network, await network.broughtOnline(planned, true), hub);
	} finally {
		await network.end();
	}
}

/** Sites, patterns, values and addresses as they have to be before each of these. */
export const PLANNED: Readonly<Record<string, Ask>> = {
	'POST /addresses/[id=uuid]?/allot': async (_ids, as) => {
		const name = freshField('networks');
		const part = await releasedPart(`address {{ ${name} }};\n`, [
			field(name, { type: { kind: 'prefix' }, scope: 'site' })
		]);
		await releasedProfile([part.revisionId], [{}], BAKERY);
		const wanted = {
			name: fresh('pool'),
			field: name,
			scope: 'site',
			policy: 'next-free',
			warnBelow: 1
		} as const;
		const range = { block: '10.188.0.0/16', length: 24 };
		const pool = must(await createPool({ ...wanted, customerId: await customerId(BAKERY), range }, ACTOR));
		return post(`/addresses/${pool.id}?/allot`, {}, {}, as);
	},
	'POST /addresses/tunnels?/plan': async (_ids, as) => {
		const customer = await customerId(BAKERY);
		await tunnelPool(customer);
		const near = await openPosition('router', BAKERY);
		return post('/addresses/tunnels?/plan', { customer, near, far: await hubOf() }, {}, as);
	},
	'POST /addresses/tunnels?/wanted': async (_ids, as) => {
		await tunnelPool(await customerId(BAKERY));
		const { id } = await changedPattern({ tunnelTo: await hubOf() });
		return post('/addresses/tunnels?/wanted', { pattern: id }, {}, as);
	},
	'POST /sites/patterns/[id=uuid]?/follow': async (_ids, as) => {
		const { id, site } = await changedPattern();
		return post(`/sites/patterns/${id}?/follow`, { site }, {}, as);
	},
	'POST /sites/stamp?/stamp': async (_ids, as) => {
		const { id: pattern } = await newPattern();
		const cells = JSON.stringify([['site'], [fresh('bakery')]]);
		const text = (JSON.parse(cells) as string[][]).map(([cell]) => cell).join('\n');
		const { data } = await answerOf(await post('/sites/stamp?/compare', { pattern, text }, {}, as));
		const { seal } = data!.compared as { seal: string };
		return post('/sites/stamp?/stamp', { pattern, cells, seal }, {}, as);
	},
	'POST /sites/[id=uuid]?/copy': async (_ids, as) => {
		const [from, to] = [await bakery(as), await bakery(as)];
		const profile = await profileId('Bakery router');
		await post(`/sites/${from}?/plan`, { name: 'rt-1', profile }, {}, as);
		return post(`/sites/${from}?/copy`, { to }, {}, as);
	},
	'POST /sites/[id=uuid]?/follow': async (_ids, as) => {
		const site = await bakery(as);
		await post(`/sites/${site}?/plan`, { name: 'rt-1', profile: await profileId('Bakery router') }, {}, as);
		const { id: position } = await unwalled()('position').where({ site_id: site }).first('id');
		return post(`/sites/${site}?/follow`, { position, profile: await profileId('Hub router') }, {}, as);
	},
	'POST /sites/[id=uuid]?/endLinks': async (ids, as) => {
		await post('/sites/cards', { site: ids.site }, {}, as);
		return post(`/sites/${ids.site}?/endLinks`, {}, {}, as);
	},
	'POST /sites/[id=uuid]?/accept': (_ids, as) =>
		withNetwork(async (_network, { id, router, point }) => {
			point!.plug = { serial: router.label.serial, port: 'lan2' };
			await proven(id);
			return post(`/sites/${id}?/accept`, {}, {}, as);
		}),
	'POST /sites/reachability/[from=uuid]/[to=uuid]?/look': (_ids, as) =>
		withNetwork(async (_network, site, hub) =>
			post(`/sites/reachability/${site.idOf('rt-1')}/${hub}?/look`, { way: 'there' }, {}, as)
		),
	'POST /values?/save': async ({ position }, as) => {
		const { values } = await unwalled()('position').where({ id: position }).first('values');
		const change = {
			...{ positionId: position, field: 'hostname', target: 'position' },
			...{ was: values.hostname ?? '', now: 'by-a-program' }
		};
		return post('/values?/save', { changes: JSON.stringify([change]) }, {}, as);
	},
	'POST /values?/compare': async (_ids, as) => {
		const form = new FormData();
		form.set('file', new File(['site,position,hostname\n'], 'values.csv'));
		return post(`/values?profile=${await profileId('Clinic gateway')}&/compare`, form, {}, as);
	},
	'POST /upkeep/windows?/holidays': async (ids, as) => {
		const day = `${new Date().getUTCFullYear() + 1}0206`;
		const event = `BEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:${day}\r\nSUMMARY:A holiday\r\nEND:VEVENT`;
		const form = new FormData();
		form.set('rule', JSON.stringify(NO_RULE));
		form.set('edit', '0');
		form.set(
			'calendar',
			new File([`BEGIN:VCALENDAR\r\nVERSION:2.0\r\n${event}\r\nEND:VCALENDAR\r\n`], 'holidays.ics')
		);
		return post(`/upkeep/windows?site=${ids.site}&/holidays`, form, {}, as);
	}
};
