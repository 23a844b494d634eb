import { spawn } from 'node:child_process';
import { connect } from 'node:net';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import { expect } from 'chai';
import { currentSettings } from '../../src/lib/server/settings';
import { online } from '../server/gateway';
import { address, newPerson, unwalled } from '../server/making';
import { survives } from './attack';

const RATE = 50_000;
const SECONDS = 10;

/** Of what units said, what became of it, by the application’s own figures. */
async function became(): Promise<Record<string, number>> {
	const text = await (await fetch(`http://127.0.0.1:${currentSettings().LIMEN_METRICS_PORT}/metrics`)).text();
	return Object.fromEntries(
		[...text.matchAll(/^limen_events\{became="([^"]+)"\} (\d+)$/gm)].map(([, name, count]) => [
			name!,
			Number(count)
		])
	);
}
const sumOf = (counts: Record<string, number>) =>
	Object.values(counts).reduce((sum, count) => sum + count, 0);

describe('a flood of what units say', function () {
	this.timeout(120_000);

	it(`${RATE} a second for ${SECONDS} seconds is bounded, every one is accounted for, and another unit is heard meanwhile @long`, async () => {
		const gateway = await online();
		const before = await became();
		const person = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		await survives(async () => {
			const port = currentSettings().LIMEN_EVENTS_PORT;
			const flood = spawn(
				process.execPath,
				[
					'--import',
					'tsx',
					fileURLToPath(new URL('flood.ts', import.meta.url)),
					String(port),
					String(RATE),
					String(SECONDS),
					'<11>1 - flooding-unit app - - - the same again and again'
				],
				{ stdio: ['ignore', 'pipe', 'inherit'] }
			);
			let said = '';
			flood.stdout.setEncoding('utf8').on('data', (text: string) => (said += text));
			const gone = once(flood, 'close');
			// In the middle of it somebody works, and a unit says a word over a connection of its own
			await onFigures((counts) => sumOf(counts) > sumOf(before) + RATE);
			const asked = performance.now();
			expect(
				(await fetch(address('/upkeep/events'), { headers: { cookie: person.cookie } })).status
			).to.equal(200);
			const waited = performance.now() - asked;
			const word = `<11>1 - ${gateway.unit.serial} app - - - a word in the storm`;
			const isKept = async () =>
				(await unwalled()('event').where({ unit_id: gateway.unit.unitId, words: 'a word in the storm' }))
					.length > 0;
			while (!(await isKept())) {
				const socket = connect(port, '127.0.0.1').on('error', () => undefined);
				socket.end(`${word.length} ${word}`);
				await once(socket, 'close');
			}
			await gone;
			const sent = Number(said);
			expect(sent).to.be.greaterThan(RATE);
			// One more datagram a moment later has what was lost before it counted too
			await onFigures((counts) => {
				void nudge(port);
				return sumOf(counts) - sumOf(before) >= sent;
			});
			const counts = await became();
			const more = (name: string) => (counts[name] ?? 0) - (before[name] ?? 0);
			console.log(
				`      ${sent} sent in ${SECONDS} s: ${[
					'kept',
					'from a stranger',
					'too many of one unit',
					'too much at once',
					'lost before it was read'
				]
					.map((name) => `${more(name)} ${name}`)
					.join(', ')}; a page took ${waited.toFixed(0)} ms meanwhile`
			);
			// No more is kept than a unit may say, whoever is taken for it
			expect(more('kept')).to.be.lessThan(2_000);
		});
	});

	/** Resolves when the figures are as they should be: each time that they are asked. */
	async function onFigures(are: (counts: Record<string, number>) => boolean): Promise<void> {
		while (!are(await became())) await new Promise((resolve) => setImmediate(resolve));
	}
	async function nudge(port: number): Promise<void> {
		const { createSocket } = await import('node:dgram');
		const socket = createSocket('udp4');
		socket.send('<11>1 - nobody app - - - nudge', port, '127.0.0.1', () => socket.close());
	}
});
