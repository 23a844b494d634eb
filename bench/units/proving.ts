import { once } from 'node:events';
import { createServer } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Client } from 'ssh2';
import { startApplication } from '../../command/limen';
import { freePort } from '../../command/running/ports';
import { actAlwaysAs, SETUP } from '../../src/lib/server/database';
import { run } from '../../src/lib/server/connections/speaking/exec';
import { connectOver, UNIT_USER } from '../../src/lib/server/connections/speaking/ssh';
import { callHomeKey } from '../../src/lib/server/keys';
import { startHub, stopHub } from '../../src/lib/server/live';
import { lastProof, proveSite } from '../../src/lib/server/proof';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { newHostKey } from '../../standins/units/home';
import { dial, onChange } from '../../tests/server/dialling';
import { actAsEngineer, closeUnwalled, unwalled } from '../../tests/server/making';
import { Network, type Box } from '../../tests/server/network';
import { LIMEN } from '../../src/lib/server/ledger';
import { customerWithRuns, median, send, type BenchUnit, type Figure } from '../world';

/** A branch router on a line of its own answers no sooner. */
const ANSWERS_IN = 50;
const POINTS = 3;
const FEWEST_CHECKS = 25;
const MOST_OVER_CHAIN = 1.3;
const SITES = 60;
const MOVING = 2_000;
const CUSTOMER = 'Southfold Physio';

/** Proves sites, all begun at once, until the last is over; how long that took. */
async function proven(sites: readonly string[]): Promise<number> {
	const from = performance.now();
	const begun = await Promise.all(sites.map((id) => proveSite(id, 'asked', LIMEN)));
	const refused = begun.find((act) => !act.ok);
	if (refused) throw new Error('A site could not be proven.');
	const open = async () =>
		Number(
			(await unwalled()('site_proof').where({ state: 'open' }).whereIn('site_id', sites).count())[0]!.count
		);
	await onChange(['proofs'], async () => (await open()) === 0);
	const took = performance.now() - from;
	for (const id of sites) {
		const proof = (await lastProof(id))!;
		const wrong = proof.checks.find(({ state }) => state !== 'holds' && state !== 'cannot');
		if (wrong) throw new Error(`${wrong.positionName}, ${wrong.title}: ${wrong.words}`);
	}
	return took;
}

/** The commands that each unit of a site was last asked for its proof, over ssh2 alone, all units at once: how long the slowest unit's took. */
async function slowestChain(boxes: readonly Box[]): Promise<number> {
	const taken: ((client: Client) => void)[] = [];
	// As the application listens: a word is not kept back for another
	const listener = createServer({ noDelay: true }, (socket) => {
		socket.on('error', () => socket.destroy());
		void connectOver(
			socket,
			() => Promise.resolve(true),
			async () => [{ name: 'limen', login: { user: UNIT_USER, privateKey: callHomeKey().private } }]
		).then(({ client }) => taken.shift()!(client));
	});
	const port = await freePort();
	listener.listen(port, '127.0.0.1');
	await once(listener, 'listening');
	const chains = [];
	for (const box of boxes) {
		const { rows } = await unwalled().raw(
			`select d.words from dialogue d where speaker = 'limen' and errand_id = (
				select e.id from errand e join unit on unit.id = e.unit_id where unit.serial = ? and e.kind = 'check' order by asked_at desc limit 1
			) order by d.id`,
			[box.label.serial]
		);
		// One after the other, so that it is known which is which
		const client = new Promise<Client>((resolve) => taken.push(resolve));
		const call = dial({ hostKey: newHostKey() }, box.answer, { port });
		chains.push({
			call,
			client: await client,
			commands: (rows as { words: string }[]).map(({ words }) => words)
		});
	}
	const from = performance.now();
	const took = await Promise.all(
		chains.map(async ({ client, commands }) => {
			for (const command of commands) await run(client, command);
			return performance.now() - from;
		})
	);
	for (const { call } of chains) await call.end();
	listener.close();
	return Math.max(...took);
}

/** Units that ask and report for as long as they are let, one request after another each. */
function moving(units: readonly BenchUnit[]): () => Promise<number> {
	let goesOn = true;
	let count = 0;
	const urlOf = (operation: string) =>
		`${publicUrl(currentSettings())}/restconf/operations/ietf-sztp-bootstrap-server:${operation}`;
	const say = async (unit: BenchUnit, operation: string, input: object) => {
		const status = await send(
			urlOf(operation),
			unit,
			JSON.stringify({ 'ietf-sztp-bootstrap-server:input': input })
		);
		if (status >= 300) throw new Error(`A unit was refused with ${status}.`);
		count++;
	};
	const all = Promise.all(
		units.map(async (unit, index) => {
			await sleep(index);
			while (goesOn) {
				await say(unit, 'get-bootstrapping-data', { 'hw-model': 'OG-2', 'os-version': '7.0.3' });
				await say(unit, 'report-progress', { 'progress-type': 'bootstrap-initiated' });
				// As units do: they boot, and work
				await sleep(5_000);
			}
		})
	);
	return async () => {
		goesOn = false;
		await all;
		return count;
	};
}

export async function benchProving(): Promise<Figure[]> {
	await actAsEngineer();
	await startHub();
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes', LIMEN_WATCH: 'no' });
	const network = new Network(CUSTOMER, ANSWERS_IN);
	try {
		const hubPosition = await network.planHub();
		const site = await network.newSite('clinic', [
			['rt-1', 'Bakery router'],
			...Array.from({ length: POINTS }, (_, at): readonly [string, string] => [
				`ap-${at}`,
				'Indoor access point'
			])
		]);
		await network.tunnel(site.idOf('rt-1'));
		const others = [];
		for (let at = 0; at < SITES; at++) others.push(await network.plannedSite(`branch ${at}`, false));
		await network.online('router', hubPosition);
		for (const other of others) await network.broughtOnline(other, false);
		const boxes = [await network.online('large-router', site.idOf('rt-1'))];
		for (let at = 0; at < POINTS; at++)
			boxes.push(await network.online('access-point', site.idOf(`ap-${at}`)));
		network.fabric.look();
		actAlwaysAs(SETUP);
		await proven([site.id]);
		const checks = (await lastProof(site.id))!.checks.length;
		if (checks < FEWEST_CHECKS) throw new Error(`Only ${checks} checks.`);
		const turns: (readonly [number, number])[] = [];
		for (let turn = 0; turn < 5; turn++) turns.push([await proven([site.id]), await slowestChain(boxes)]);
		const took = median(turns.map(([one]) => one));
		const chain = median(turns.map(([, one]) => one));
		const ratio = median(turns.map(([one, other]) => one / other));
		const sites = others.map(({ id }) => id);
		await proven(sites);
		const alone = await proven(sites);
		const end = moving((await customerWithRuns('Moving', MOVING)).units);
		await sleep(3_000);
		const beside = await proven(sites);
		const requests = await end();
		return [
			{
				name: `A site of ${1 + POINTS} units and ${checks} checks, proven; a unit takes ${ANSWERS_IN} ms an answer`,
				measured: `${took.toFixed(0)} ms`,
				baseline: `${chain.toFixed(0)} ms (the slowest unit’s commands over ssh2 alone)`,
				result: `${ratio.toFixed(2)} ×`,
				wanted: `at most ${MOST_OVER_CHAIN} ×`,
				held: ratio <= MOST_OVER_CHAIN
			},
			{
				name: `${SITES} sites proven at once while ${MOVING} runs move`,
				measured: `${(beside / 1000).toFixed(1)} s, all held; ${requests} requests of units meanwhile`,
				baseline: `${(alone / 1000).toFixed(1)} s (nothing moves)`,
				result: `${(beside / alone).toFixed(2)} ×`,
				wanted: 'all held',
				// `proven` rejects where one does not
				held: true
			}
		];
	} finally {
		await network.end();
		application.kill('SIGTERM');
		await once(application, 'exit');
		await stopHub();
		await closeUnwalled();
	}
}
