import { connect } from 'node:net';
import { startApplication } from '../../command/limen';
import { database } from '../../src/lib/server/database';
import { createPart, savePart } from '../../src/lib/server/profile';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { FILES, TEXTS } from '../../tests/hostile/traps';
import { administratorSession, median, type Figure } from '../world';

const ALONE = 200;
const MOST_MS = 250;

/**
 * How long an unrelated request is held up while somebody attacks: a page of another person, asked for again
 * and again, against the same page alone. What is told is the longest wait.
 */
export async function benchAttacks(): Promise<Figure[]> {
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const base = publicUrl(currentSettings());
	const cookieOf = async () => `limen_session=${await administratorSession()}`;
	const [attacker, other] = [await cookieOf(), await cookieOf()];
	const customer = (await database()('customer').first('id')).id as string;
	const askOnce = async (): Promise<number> => {
		const begun = performance.now();
		const answer = await fetch(`${base}/account`, { headers: { cookie: other, accept: 'text/html' } });
		await answer.text();
		if (answer.status !== 200) throw new Error(`The page answers with ${answer.status}.`);
		return performance.now() - begun;
	};
	const form = (path: string, body: BodyInit) =>
		fetch(`${base}${path}`, {
			method: 'POST',
			headers: { cookie: attacker, origin: base, accept: 'application/json', 'x-sveltekit-action': 'true' },
			body
		}).then((answer) => answer.text());

	const attacks: Record<string, () => Promise<unknown>> = {};
	for (const [name, make] of Object.entries(FILES)) {
		const content = make() as Uint8Array<ArrayBuffer>;
		attacks[`a file: ${name}`] = () => {
			const body = new FormData();
			body.set('customer', customer);
			body.set('file', new File([content], 'list.xlsx'));
			return form('/intake?/claim', body);
		};
	}
	for (const [name, text] of Object.entries(TEXTS)) {
		const part = await createPart({ name: `Attack, ${name}`, summary: '' }, SYSTEM);
		if (!part.ok) throw new Error(part.problem);
		await savePart(part.done.id, 1, { texts: { braced: text }, fields: [] }, SYSTEM);
		attacks[`a text: ${name}`] = async () =>
			(
				await fetch(`${base}/profiles/parts/${part.done.id}`, {
					headers: { cookie: attacker, accept: 'text/html' }
				})
			).text();
	}
	attacks['a hundred guesses at a password'] = () =>
		Promise.all(
			Array.from({ length: 100 }, (_, turn) =>
				form(
					'/sign-in?/password',
					new URLSearchParams({ email: `${turn}@bench.example`, password: 'a guess of ours' })
				)
			)
		);
	attacks['two hundred diallers that speak no SSH'] = () =>
		Promise.all(
			Array.from(
				{ length: 200 },
				() =>
					new Promise((resolve) => {
						const socket = connect(currentSettings().LIMEN_CALL_HOME_PORT, '127.0.0.1');
						socket.on('error', () => undefined).once('close', resolve);
						socket.end('no SSH at all\r\n');
						socket.resume();
					})
			)
		);

	try {
		for (let turn = 0; turn < 50; turn++) await askOnce();
		const alone: number[] = [];
		for (let turn = 0; turn < ALONE; turn++) alone.push(await askOnce());
		const figures: Figure[] = [];
		for (const [name, attack] of Object.entries(attacks)) {
			let over = false;
			const waits: number[] = [];
			const attacked = Promise.all([attack(), attack()]).finally(() => (over = true));
			while (!over) waits.push(await askOnce());
			await attacked;
			const longest = Math.max(0, ...waits);
			figures.push({
				name: `A page of somebody else during ${name}: longest wait`,
				measured: `${longest.toFixed(0)} ms in ${waits.length} requests`,
				baseline: `${Math.max(...alone).toFixed(0)} ms, median ${median(alone).toFixed(0)} ms (alone)`,
				result: `${longest.toFixed(0)} ms`,
				wanted: `at most ${MOST_MS} ms`,
				held: longest <= MOST_MS
			});
		}
		return figures;
	} finally {
		application.kill('SIGTERM');
	}
}

const SYSTEM = { name: 'bench', address: null, may: () => true };
