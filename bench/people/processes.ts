import { Agent, request } from 'node:http';
import { startApplication } from '../../command/limen';
import { stopPrograms } from '../../command/running/processes';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { administratorSession, customerWithRuns, median, type Figure } from '../world';

const SITES = 500;
const CLIENTS = 12;
const MEASURED_MS = 6_000;
const TURNS = 3;
/** Pages of the interface, and rows of lists. */
const PATHS = ['/arrivals', '/sites/rows?offset=0', '/', '/units/rows?offset=0'];

/** How much one, two and three processes behind one port answer, each client on a connection of its own. */
export async function benchProcesses(): Promise<Figure[]> {
	await customerWithRuns('Behind one port', SITES);
	const session = await administratorSession();
	const rates: Record<number, number[]> = { 1: [], 2: [], 3: [] };
	// In turns, so that whatever else the machine does meets all alike
	for (let turn = 0; turn < TURNS; turn++)
		for (const count of [1, 2, 3]) rates[count]!.push(await answeredBy(count, session));
	const one = median(rates[1]!);
	return [1, 2, 3].map((count) => ({
		name: `${count === 1 ? 'one process' : `${count} processes`}, ${CLIENTS} clients beside: pages and rows of lists`,
		measured: `${median(rates[count]!).toFixed(0)} answers/s`,
		baseline: `${one.toFixed(0)} answers/s of one process`,
		result: `${(median(rates[count]!) / one).toFixed(2)} ×`,
		wanted: 'told only',
		held: true
	}));
}

async function answeredBy(processes: number, session: string): Promise<number> {
	await startApplication(
		{ ...currentSettings(), LIMEN_PROCESSES: processes },
		{ LIMEN_PROCESSES: String(processes), LIMEN_QUIET: 'yes' }
	);
	try {
		const until = performance.now() + MEASURED_MS;
		let answers = 0;
		const client = async () => {
			const agent = new Agent({ keepAlive: true, maxSockets: 1 });
			for (let at = 0; performance.now() < until; at++) {
				await ask(PATHS[at % PATHS.length]!, agent, session);
				answers++;
			}
			agent.destroy();
		};
		await Promise.all(Array.from({ length: CLIENTS }, client));
		return answers / (MEASURED_MS / 1_000);
	} finally {
		await stopPrograms();
	}
}

const ask = (path: string, agent: Agent, session: string): Promise<void> =>
	new Promise((resolve, reject) => {
		request(
			publicUrl(currentSettings()) + path,
			{ agent, headers: { cookie: `limen_session=${session}` } },
			(response) => {
				response.resume();
				response.on('end', () =>
					response.statusCode === 200 ? resolve() : reject(new Error(`${path}: ${response.statusCode}`))
				);
			}
		)
			.on('error', reject)
			.end();
	});
