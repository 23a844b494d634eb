import { expect } from 'chai';
import { freePorts } from '../../../command/running/ports';
import { startApplication } from '../../../command/limen';
import { USUAL_RULES } from '../../../src/core/rollout';
import { beginRollout, draftRollout, itemsOfRollout, rolloutById } from '../../../src/lib/server/rollout';
import { flashesOf } from '../../../src/lib/server/send';
import { currentSettings, publicUrl } from '../../../src/lib/server/settings';
import { onChange } from '../dialling';
import { imagesOf, online, type Gateway } from '../gateway';
import { ACTOR, unwalled } from '../making';
import { must } from '../profile/profile-making';

describe('a rollout whose process is killed with -9 in the middle of it', () => {
	it('is brought to its end by another: no unit is forgotten, and none is told twice @long', async () => {
		await imagesOf('okapira-og', ['7.9.0']);
		const own = await freePorts();
		// Images come from the same address whichever process a unit is at, as behind a proxy
		const second = await startApplication(
			{ ...currentSettings(), LIMEN_PORT: Number(own.LIMEN_PORT) },
			{ ...own, LIMEN_PUBLIC_URL: publicUrl(currentSettings()) }
		);
		const gateways: Gateway[] = [];
		const ends: (() => Promise<void>)[] = [];
		try {
			for (let at = 0; at < 4; at++) {
				const gateway = await online();
				await gateway.call!.end();
				gateway.port = Number(own.LIMEN_CALL_HOME_PORT);
				await gateway.dial();
				gateways.push(gateway);
			}
			const units = gateways.map(({ unit }) => unit.unitId);
			const { id } = must(await draftRollout({ kind: 'firmware', whom: { units }, wanted: '7.9.0' }, ACTOR));
			const rules = {
				...USUAL_RULES,
				limits: { ...USUAL_RULES.limits, all: 2 },
				waves: { growth: 1, sizes: [2, 2] }
			};
			must(await beginRollout(id, { title: 'Killed', rules, units: 4, asked: false }, ACTOR));
			// One is on its way while others wait for their turn
			const flashing = async () =>
				(await unwalled()('flash').whereIn('unit_id', units).whereNull('ended_at')).length > 0;
			await onChange(['rollouts', 'sends'], flashing);
			for (const gateway of gateways) {
				gateway.port = undefined;
				ends.push(gateway.staysHome());
			}
			second.kill('SIGKILL');
			await onChange(['rollouts', 'sends'], async () => (await rolloutById(id))!.state === 'ended');
			const items = await itemsOfRollout(id);
			expect(items).to.have.length(4);
			for (const { unit, flash, heard } of gateways) {
				const { state, words } = items.find(({ unitId }) => unitId === unit.unitId)!;
				const told = heard.filter((command) => command === 'switch release').length;
				// Only an install that was noted, and never said when the process died, is not said again
				if (state === 'failed') {
					expect([told, flash.version, words]).to.deep.equal([
						0,
						'7.0.3',
						'The unit came back with the version that it ran before.'
					]);
				} else expect([state, told, flash.version, words]).to.deep.equal(['done', 1, '7.9.0', '']);
				expect(await flashesOf(unit.unitId)).to.have.length(1);
			}
			// Those that were still waiting are done
			expect(items.filter(({ state }) => state === 'done').length).to.be.at.least(2);
		} finally {
			second.kill('SIGKILL');
			await Promise.all(ends.map((end) => end()));
		}
	});
});
