import { v7 as uuid } from 'uuid';
import { choose, unitsOfTakeOn } from '../../../src/lib/server/takeon';
import { seal } from '../../../src/lib/server/keys';
import { online } from '../gateway';
import { ACTOR, post, unwalled } from '../making';
import { field, fresh, must, REACH, releasedPart, releasedProfile } from '../profile/profile-making';
import { begun, learnt, lodges, onlyGroup, released } from '../takeon/takeon-making';
import type { Ask } from '../walk';

const CUSTOMER = 'Harrier Lodges';
const DAY_MS = 86_400_000;
/** Lodges that were learnt from, at an act of their take-on. */
const atLodges =
	(act: string, fields: (id: string) => Promise<Record<string, string>>): Ask =>
	async (_ids, as) => {
		const id = await lodges();
		return post(`/profiles/takeon/${id}?/${act}`, await fields(id), {}, as);
	};
const groupOf = async (id: string) => ({ group: (await onlyGroup(id)).id });
const CHOICE = { kind: 'scope', field: 'own_address', scope: 'site' } as const;

/** What somebody else configured, learnt and brought into the plan. */
export const TAKING_ON: Readonly<Record<string, Ask>> = {
	'POST /profiles/takeon/[id=uuid]?/choose': atLodges('choose', async (id) => ({
		...(await groupOf(id)),
		choice: JSON.stringify(CHOICE)
	})),
	'POST /profiles/takeon/[id=uuid]?/undo': atLodges('undo', async (id) => {
		const { group } = await groupOf(id);
		must(await choose(id, { group, choice: CHOICE }, ACTOR));
		await learnt(id);
		return { group };
	}),
	'POST /profiles/takeon/[id=uuid]?/profile': atLodges('profile', async (id) => ({
		...(await groupOf(id)),
		...{ name: fresh('Lodge gateway'), role: 'router' }
	})),
	'POST /profiles/takeon/[id=uuid]?/leave': atLodges('leave', async (id) => ({
		unit: (await unitsOfTakeOn(id))[0]!.id
	})),
	'POST /profiles/takeon/[id=uuid]?/takeOn': atLodges('takeOn', async (id) => {
		await released(id);
		return { timeZone: 'Pacific/Auckland' };
	}),
	'POST /profiles/takeon/[id=uuid]?/units': async (_ids, as) => {
		const gateway = await online();
		try {
			const id = await begun('Marlstone Veterinary');
			return await post(`/profiles/takeon/${id}?/units`, { serials: gateway.unit.serial }, {}, as);
		} finally {
			await gateway.call!.end();
		}
	},
	'POST /profiles/takeon/[id=uuid]?/endOldWay': async (_ids, as) => {
		// It has called home for days, and can be reached at an address as well
		const { unit, call } = await online();
		const id = await begun('Marlstone Veterinary');
		const [takeOn] = await unwalled()('take_on').where({ id }).select('customer_id');
		const its = { unit_id: unit.unitId, customer_id: takeOn.customer_id };
		await unwalled()('take_on_unit').insert({
			...its,
			...{ id: uuid(), take_on_id: id, name: 'x', text: seal(''), lines: 0, position_id: unit.positionId }
		});
		await unwalled()('unit_reach').insert({
			...its,
			...{ address: '192.0.2.8', port: 22, login: seal('{}') },
			next_try_at: new Date(Date.now() + DAY_MS),
			home_since: new Date(Date.now() - 4 * DAY_MS)
		});
		try {
			return await post(`/profiles/takeon/${id}?/endOldWay`, {}, {}, as);
		} finally {
			await call!.end();
		}
	},
	'POST /profiles/takeon/[id=uuid]?/profiles': async (_ids, as) => {
		const part = await releasedPart(REACH, [field('hostname')]);
		const { id: profile } = await releasedProfile([part.revisionId], [{ hostname: 'bar-1' }], CUSTOMER);
		return post(`/profiles/takeon/${await begun(CUSTOMER)}?/profiles`, { profile }, {}, as);
	},
	'POST /profiles/parts/[id=uuid]?/library': async (_ids, as) => {
		const profile = await released(await lodges());
		const { id: part } = await unwalled()('part').where({ only_for: profile }).first('id');
		return post(`/profiles/parts/${part}?/library`, {}, {}, as);
	}
};
