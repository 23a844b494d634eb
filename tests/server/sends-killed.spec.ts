import { expect } from 'chai';
import { freePorts } from '../../command/ports';
import { startApplication } from '../../command/limen';
import { sendHasEnded, type SendState } from '../../src/core/send';
import { sendsOf } from '../../src/lib/server/send';
import { currentSettings } from '../../src/lib/server/settings';
import { onChange } from './dialling';
import { behind, looked, send, stateOf, untilSend, type Gateway } from './gateway';
import { unwalled } from './making';

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
		const hasEnded = async () => sendHasEnded((await stateOf(gateway.unit.unitId)) as SendState);
		await onChange(['sends'], hasEnded);
		await ends();
		return { gateway, sendId, isKilled };
	} finally {
		second.kill('SIGKILL');
	}
}

describe('a confirmed send whose process is killed with -9', () => {
	it('is brought to its end by another, whatever it was saying: the unit is told once, and runs what Limen says that it runs @long', async () => {
		const words = await wordsOfASend();
		expect(words).to.include.members(['stage changes', 'switch to staged 30s', 'stay']);
		for (const command of words) {
			const { gateway, sendId, isKilled } = await killedAt(command);
			const { unit, heard, runs, changes } = gateway;
			expect(isKilled, command).to.equal(true);
			const [one, ...more] = await sendsOf(unit.unitId);
			expect([one!.id, more.length], command).to.deep.equal([sendId, 0]);
			const state = one!.send.state;
			expect(state, command).to.be.oneOf(['confirmed', 'gone back', 'refused']);
			expect([runs.includes('new-name'), changes.isPending], `${command}: ${state}`).to.deep.equal([
				state === 'confirmed',
				false
			]);
			expect(heard.filter((one) => one.startsWith('switch to')).length, command).to.be.at.most(1);
			const ended = await unwalled()('ledger_entry').where({ act: 'send ended', subject_id: unit.unitId });
			expect(ended, command).to.have.length(1);
		}
	});
});
