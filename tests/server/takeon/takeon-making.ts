import { readdirSync, readFileSync } from 'node:fs';
import { expect } from 'chai';
import { workById, itemsOf } from '../../../src/lib/server/jobs';
import { releaseProfile } from '../../../src/lib/server/profile';
import {
	addConfigurations,
	beginTakeOn,
	groupsOfTakeOn,
	makeProfile,
	takeOnById
} from '../../../src/lib/server/takeon';
import { onChange } from '../dialling';
import { ACTOR, customerId, unwalled } from '../making';
import { fresh, must } from '../profile/profile-making';

export const FOLDER = new URL('../../../demo/lodges/', import.meta.url);
export const LODGES = readdirSync(FOLDER).map((name) => ({
	name,
	text: readFileSync(new URL(name, FOLDER), 'utf8')
}));

export async function begun(customer = 'Harrier Lodges'): Promise<string> {
	return must(await beginTakeOn({ customer: await customerId(customer), name: fresh('Lodges') }, ACTOR)).id;
}
export const learnt = (id: string) =>
	onChange(['take-ons'], async () => {
		const now = (await takeOnById(id))!;
		return now.learnt === now.wanted;
	});
export async function lodges(): Promise<string> {
	const id = await begun();
	// Each test’s lodges are its own
	const own = fresh('x').replace(/\D/g, '');
	must(
		await addConfigurations(
			id,
			LODGES.map(({ name, text }) => ({ name, text: text.replace(/ Lodge"/, ` Lodge ${own}"`) })),
			ACTOR
		)
	);
	await learnt(id);
	return id;
}
export const positionOf = async (unitId: string): Promise<string | undefined> =>
	(await unwalled()('binding').where({ unit_id: unitId }).first('position_id'))?.position_id;
export const onlyGroup = async (id: string) => {
	const groups = await groupsOfTakeOn(id);
	expect(groups).to.have.length(1);
	return groups[0]!;
};
/** All that was begun last, done. */
export async function worked(): Promise<
	readonly { readonly subject: string; readonly state: string; readonly words: string }[]
> {
	const { id } = await unwalled()('long_work')
		.where({ kind: 'take units on' })
		.orderBy('begun_at', 'desc')
		.first('id');
	await onChange(['work', 'take-ons'], async () => (await workById(id))!.state !== 'under way');
	return itemsOf(id, { limit: 100 });
}
export async function released(id: string): Promise<string> {
	const { id: group } = await onlyGroup(id);
	const { profileId } = must(
		await makeProfile(id, { group, name: fresh('Lodge gateway'), role: 'router' }, ACTOR)
	);
	must(await releaseProfile(profileId, 1, 'Learnt', false, ACTOR));
	return profileId;
}
