import * as v from 'valibot';
import { handoverSchema, type HandoverRecord } from '../../../src/core/handover';
import { makeHandover } from '../../../src/lib/server/handover';
import { ACTOR, boundUnit, get, newPerson, unwalled, type TestPerson } from '../making';

/** A JPEG of one pixel. */
export const GREY_DOT =
	'/9j/4AAQSkZJRgABAQEASABIAAD/2wBDAAMCAgICAgMCAgIDAwMDBAYEBAQEBAgGBgUGCQgKCgkICQkKDA8MCgsOCwkJDRENDg8QEBEQCgwSExIQEw8QEBD/yQALCAABAAEBAREA/8wABgAQEAX/2gAIAQEAAD8A0s8g/9k=';
export const GIVEN = {
	acceptedBy: 'Bryony Castell',
	how: 'on the screen',
	signature: 'M10 10L20 30L40 5',
	signed: '',
	openPoints: []
} as const;
export const given = (more: object = {}) => ({ ...GIVEN, openPoints: [] as string[], ...more });

/** A site with one bound unit, whose proof has ended. */
export async function provenSite(state: 'held' | 'failed' = 'held', words = 'It is up.') {
	const unit = await boundUnit();
	const { site_id: site, customer_id: customer } = await unwalled()('position')
		.where({ id: unit.positionId })
		.first('site_id', 'customer_id');
	const [{ id: proof }] = await unwalled()('site_proof').insert(
		{
			id: unwalled().raw('gen_random_uuid()'),
			site_id: site,
			customer_id: customer,
			why: 'due',
			state,
			ended_at: new Date()
		},
		'id'
	);
	const check = (ordinal: number, kind: string, expects: object, outcome: object) => ({
		proof_id: proof,
		ordinal,
		customer_id: customer,
		position_id: unit.positionId,
		unit_id: unit.unitId,
		kind,
		expects: JSON.stringify({ kind, ...expects }),
		ended_at: new Date(),
		...outcome
	});
	await unwalled()('site_check').insert([
		check(1, 'serial', { serial: unit.serial }, { state: 'holds', words: `It is ${unit.serial}.` }),
		check(2, 'tunnel', { tunnel: 'hub' }, { state: state === 'held' ? 'holds' : 'fails', words })
	]);
	await unwalled()('site')
		.where({ id: site })
		.update({ proof_state: state, proof_at: new Date(), proof_since: new Date() });
	return { ...unit, site: site as string, customer: customer as string };
}
export const made = async (site: string, more: object = {}) => {
	const act = await makeHandover(site, given(more), ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};
let engineer: Promise<TestPerson> | undefined;
export const anEngineer = (): Promise<TestPerson> =>
	(engineer ??= newPerson({ 'Marlstone Veterinary': 'engineer' }));
export const octets = async (id: string, file: string, as?: TestPerson) =>
	Buffer.from(await (await get(`/handovers/${id}/${file}`, as ?? (await anEngineer()))).arrayBuffer());
export const recordOf = async (id: string): Promise<HandoverRecord> =>
	v.parse(handoverSchema, JSON.parse((await octets(id, 'handover.json')).toString()));
