import { expect } from 'chai';
import { freePorts } from '../../../command/running/ports';
import { startApplication } from '../../../command/limen';
import { sendHasEnded, type SendState } from '../../../src/core/send';
import { sendsOf } from '../../../src/lib/server/send';
import { currentSettings } from '../../../src/lib/server/settings';
import { onChange } from '../dialling';
import { behind, looked, send, stateOf, untilSend, type Gateway } from '../gateway';
import { unwalled } from '../making';

/** All that a unit hears in the course of one send, in order, each once. */
async function wordsOfASend(): Promise<readonly string[]> {
	const gateway = await behind();
	const before = gateway.heard.length;
	await send(gateway);
	const ends = gateway.staysHome();
	await untilSend(gateway.unit.unitId, 'confirmed');
	await ends();
	return [...new Set(gateway.heard.slice(before))];
}

/** Sends, through a process of its own that is killed with -9 as the unit hears a command; the unit dials another then. */
async function killedAt(command: string): Promise<{ gateway: Gateway; sendId: string; isKilled: boolean }> {
	const own = await freePorts();
	const second = await startApplication(
		{ ...currentSettings(), LIMEN_PORT: Number(own.LIMEN_PORT) },
		{ ...own }
	);
	let isKilled = false;
	const gateway = await behind();
	try {
		await gateway.call!.end();
		gateway.port = Number(own.LIMEN_CALL_HOME_PORT);
		await gateway.dial();
		const seen = await looked(gateway);
		gateway.whenHearing = (heard) => {
			if (heard !== command || isKilled) return;
			isKilled = second.kill('SIGKILL');
			gateway.port = undefined;
		};
		const sendId = await send(gateway, false, undefined, seen);
		const ends = gateway.staysHome();
		await untilEnded(gateway);
		await ends();
		return { gateway, sendId, isKilled };
	} finally {
		second.kill('SIGKILL');
	}
}

/** A send that has come to its end leaves its unit reachable and running what Limen says, and was told once. */
async function expectTruth({ unit, heard, runs, changes }: Gateway, sendId: string, where: string) {
	const [one, ...more] = await sendsOf(unit.unitId);
	expect([one!.id, more.length], where).to.deep.equal([sendId, 0]);
	const { state } = one!.send;
	expect(state, where).to.be.oneOf(['confirmed', 'gone back', 'refused']);
	expect([runs.includes('new-name'), changes.isPending], `${where}: ${state}`).to.deep.equal([
		state === 'confirmed',
		false
	]);
	expect(heard.filter((command) => command.startsWith('switch to')).length, where).to.be.at.most(1);
	const ended = await unwalled()('ledger_entry').where({ act: 'send ended', subject_id: unit.unitId });
	expect(ended, where).to.have.length(1);
}
const untilEnded = ({ unit }: Gateway) =>
	onChange(['sends'], async () => sendHasEnded((await stateOf(unit.unitId)) as SendState));

describe('a confirmed send', () => {
	let words: readonly string[];
	before(async () => {
		words = await wordsOfASend();
		expect(words).to.include.members(['stage changes', 'switch to staged 30s', 'stay']);
	});

	it('whose process is killed with -9 is brought to its end by another, whatever it was saying @long', async () => {
		for (const command of words) {
			const { gateway, sendId, isKilled } = await killedAt(command);
			expect(isKilled, command).to.equal(true);
			await expectTruth(gateway, sendId, command);
		}
	});

	it('whose unit loses its power, before or after it did what it was told, ends with a unit that is reached @long', async () => {
		const points = words.flatMap((at) => (['before', 'after'] as const).map((when) => ({ at, when })));
		await Promise.all(
			points.map(async (point) => {
				const gateway = await behind();
				const seen = await looked(gateway);
				gateway.powerFails = point;
				const sendId = await send(gateway, false, undefined, seen);
				const ends = gateway.staysHome();
				await untilEnded(gateway);
				await ends();
				expect(gateway.powerFails).to.equal(null);
				await expectTruth(gateway, sendId, `${point.when} ${point.at}`);
			})
		);
	});
});
