import { expect } from 'chai';
import { USUAL_RULES, type ItemState, type RolloutRules } from '../../../src/core/rollout';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import {
	advance,
	beginRollout,
	draftRollout,
	itemsOfRollout,
	rolloutById
} from '../../../src/lib/server/rollout';
import { flashesOf } from '../../../src/lib/server/send';
import { ACTOR, unwalled } from '../making';
import { onChange } from '../dialling';
import { online, timePasses, untilLost, type Gateway } from '../gateway';
import { fresh, must } from '../profile/profile-making';

export const VERSION = '7.9.0';
export const rules = (
	given: Partial<RolloutRules['limits']> = {},
	stop: Partial<RolloutRules['stop']> = {}
): RolloutRules => ({
	...USUAL_RULES,
	limits: { ...USUAL_RULES.limits, ...given },
	stop: { ...USUAL_RULES.stop, ...stop }
});
export const units = (gateways: readonly Gateway[]) => gateways.map(({ unit }) => unit.unitId);
export const some = async (count: number): Promise<Gateway[]> => {
	const made: Gateway[] = [];
	for (let at = 0; at < count; at++) made.push(await online());
	return made;
};
export async function planned(gateways: readonly Gateway[], wanted = VERSION): Promise<string> {
	const drafted = must(
		await draftRollout({ kind: 'firmware', whom: { units: units(gateways) }, wanted }, ACTOR)
	);
	expect(drafted.count).to.equal(gateways.length);
	return drafted.id;
}
export async function begun(gateways: readonly Gateway[], with_: RolloutRules = rules()): Promise<string> {
	const id = await planned(gateways);
	must(
		await beginRollout(
			id,
			{ title: fresh('A test'), rules: with_, units: gateways.length, asked: false },
			ACTOR
		)
	);
	return id;
}
export const itemOf = async (id: string, { unit }: Gateway) =>
	(await itemsOfRollout(id)).find(({ unitId }) => unitId === unit.unitId)!;
export const statesOf = async (id: string, gateways: readonly Gateway[]): Promise<ItemState[]> => {
	const items = await itemsOfRollout(id);
	return gateways.map(({ unit }) => items.find(({ unitId }) => unitId === unit.unitId)!.state);
};
export const turn = (id: string, now?: number) => runAs(BOOTSTRAP, () => advance(id, now));
export const lettersTo = async (): Promise<string[]> => {
	const { email } = await unwalled()('person').where({ id: ACTOR.personId! }).first('email');
	return unwalled()('mail').where({ to_address: email }).pluck('subject');
};
export const until = (id: string, holds: () => Promise<boolean>) =>
	onChange(['rollouts', 'sends'], async () => {
		if (await holds()) return true;
		await turn(id);
		return holds();
	});
export const untilStates = (id: string, gateways: readonly Gateway[], wanted: readonly ItemState[]) =>
	until(id, async () => JSON.stringify(await statesOf(id, gateways)) === JSON.stringify(wanted));
export const untilState = (id: string, state: string) =>
	until(id, async () => (await rolloutById(id))!.state === state);
/** The unit installs what it fetched, and comes back with what it starts, over each step of its way. */
export async function comesBack(id: string, gateway: Gateway): Promise<void> {
	const { unitId } = gateway.unit;
	await until(id, async () => (await flashesOf(unitId))[0]?.endedAt === null);
	for (let steps = (await flashesOf(unitId))[0]!.flash.path.length; steps > 0; steps--) {
		await untilLost(unitId);
		await gateway.dial();
		if (gateway.startsWith === null) continue;
		await timePasses(unitId);
		break;
	}
	await until(id, async () => (await itemOf(id, gateway)).endedAt !== null);
}
/** The one that is under way. */
export async function nextOf(id: string, gateways: readonly Gateway[]): Promise<Gateway> {
	const under = async () => (await itemsOfRollout(id, { state: 'under way' }))[0];
	await until(id, async () => (await under()) !== undefined);
	const { unitId } = (await under())!;
	return gateways.find(({ unit }) => unit.unitId === unitId)!;
}
export const letGo = (gateways: readonly Gateway[]) => Promise.all(gateways.map(({ call }) => call!.end()));
