import cluster, { type Worker } from 'node:cluster';
import { fileURLToPath } from 'node:url';
import { currentSettings } from '../src/lib/server/settings';
import { beat, endWhenSilent } from './running/beat';

/**
 * Several processes of the application behind one address: they share the ports on which people, programs and units come in,
 * each takes its part of the connections, and the database settles between them. One that ends or stands still is started
 * again; each shows its own figures, on a port of its own.
 */
const { LIMEN_PROCESSES, LIMEN_METRICS_PORT } = currentSettings();
/** Other ports of Limen lie next to the first one's. */
const BETWEEN = 100;
/** One that ends at once again and again is no accident. */
const SHORT_MS = 10_000;
const MOST_SHORT = 5;
const PAUSE_MS = 500;
/** In order they end within less. */
const END_MS = 8_000;

const here = beat();
cluster.setupPrimary({
	exec: fileURLToPath(new URL('./serve.js', import.meta.url)),
	stdio: ['ignore', 'inherit', 'inherit', 'ipc']
});
const workers = new Map<number, Worker>();
let stopping = false;
let short = 0;

function begin(place: number): void {
	if (stopping) return;
	const began = performance.now();
	const worker = cluster.fork({
		LIMEN_METRICS_PORT: String(LIMEN_METRICS_PORT + BETWEEN * place),
		// They are told to end once, from here; without this process they end by themselves
		LIMEN_ENDS_WITH_PARENT: ''
	});
	workers.set(place, worker);
	endWhatItWasHanded(worker);
	endWhenSilent('process of the application', worker.process);
	worker.once('exit', (code, signal) => {
		workers.delete(place);
		if (stopping) return end();
		console.error(`A process of the application ended (${signal ?? code}); it is started again.`);
		short = performance.now() - began < SHORT_MS ? short + 1 : 0;
		if (short < MOST_SHORT) return void setTimeout(() => begin(place), PAUSE_MS * short);
		process.exitCode = 1;
		stop();
	});
}

/** What Node's cluster says to a process beside a connection, and what the process answers. */
interface Handing {
	readonly act?: string;
	readonly seq: number;
}
interface Handed {
	readonly ack?: number;
}

/**
 * Node's cluster forgets a connection that was handed to a process which is killed before it has said that it took it: the
 * client would wait for an answer or an end for good, in one of some hundred connections. It is ended here with the process.
 */
function endWhatItWasHanded(worker: Worker): void {
	const untaken = new Map<number, { close(): void }>();
	let isGone = false;
	const { process } = worker;
	const send = process.send.bind(process) as (...given: unknown[]) => boolean;
	process.send = (message: Handing, connection?: unknown, ...rest: unknown[]) => {
		// Its death is known here before Node's cluster deals it no more
		if (message.act === 'newconn' && isGone) return ((connection as { close(): void }).close(), true);
		if (message.act === 'newconn') untaken.set(message.seq, connection as { close(): void });
		return send(message, connection, ...rest);
	};
	process.on('internalMessage', ({ ack }: Handed) => ack !== undefined && untaken.delete(ack));
	worker.once('exit', () => {
		isGone = true;
		untaken.forEach((connection) => connection.close());
	});
}

function stop(): void {
	stopping = true;
	for (const worker of workers.values()) worker.process.kill('SIGTERM');
	setTimeout(() => {
		for (const worker of workers.values()) worker.process.kill('SIGKILL');
	}, END_MS).unref();
	end();
}
/** The last one turns off the light. */
const end = (): void => {
	if (workers.size === 0) process.exit();
};

for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, stop);
if (process.env.LIMEN_ENDS_WITH_PARENT) process.stdin.resume().once('end', stop);
for (let place = 0; place < LIMEN_PROCESSES; place++) begin(place);
here();
