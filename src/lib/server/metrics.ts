import { createServer, type Server } from 'node:http';
import {
	collectDefaultMetrics,
	Counter,
	Gauge,
	Histogram,
	openMetricsContentType,
	Registry
} from 'prom-client';
import { BOOTSTRAP, database, runAs, timeNow } from './database';
import { heldHere } from './connections';
import { eventCounts } from './events';
import { taskCounts } from './jobs';
import { watchers } from './live';
import { roomAt } from './room';
import { currentSettings } from './settings';

/** Figures for whoever watches over this process: OpenMetrics, on a loopback port of its own. */
const registry = new Registry<typeof openMetricsContentType>();
registry.setContentType(openMetricsContentType);
collectDefaultMetrics({ register: registry });
const requests = new Histogram({
	name: 'limen_request_seconds',
	help: 'How long requests took, by route, method and status.',
	labelNames: ['route', 'method', 'status'],
	buckets: [0.005, 0.02, 0.05, 0.1, 0.25, 1, 5],
	registers: [registry]
});
const refusedCallers = new Counter({
	name: 'limen_refused_callers',
	help: 'Units that called and were not served.',
	labelNames: ['reason'],
	registers: [registry]
});
new Gauge({
	name: 'limen_events',
	help: 'What became of what units said, since this process began.',
	labelNames: ['became'],
	registers: [registry],
	collect() {
		for (const [became, count] of eventCounts()) this.set({ became }, count);
	}
});
new Gauge({
	name: 'limen_watchers',
	help: 'Open live streams.',
	registers: [registry],
	collect() {
		this.set(watchers());
	}
});

new Gauge({
	name: 'limen_positions',
	help: 'Positions by how they stand; “stuck” needs a person.',
	labelNames: ['standing'],
	registers: [registry],
	async collect() {
		const counted = await runAs(BOOTSTRAP, () =>
			database()('position_standing').groupBy('standing').select('standing').count()
		);
		this.reset();
		for (const { standing, count } of counted) this.set({ standing: String(standing) }, Number(count));
	}
});

new Gauge({
	name: 'limen_jobs',
	help: 'Jobs of the queue; “failed” are given up and need a person.',
	labelNames: ['task', 'state'],
	registers: [registry],
	async collect() {
		const counted = await taskCounts();
		this.reset();
		oldestJob.reset();
		for (const { task, oldest, ...states } of counted) {
			for (const [state, count] of Object.entries(states)) this.set({ task, state }, count);
			oldestJob.set({ task }, oldest === null ? 0 : (timeNow() - oldest.getTime()) / 1000);
		}
	}
});
const oldestJob = new Gauge({
	name: 'limen_oldest_job_seconds',
	help: 'For how long the oldest job that is due has been due.',
	labelNames: ['task'],
	registers: [registry]
});
new Gauge({
	name: 'limen_connections',
	help: 'Units that this process holds a connection to.',
	registers: [registry],
	collect() {
		this.set(heldHere());
	}
});
for (const [part, of] of Object.entries({
	free: 'Free room, in octets, on the disk where keys, images and the private database are.',
	all: 'All room, in octets, of that disk.'
}))
	new Gauge({
		name: `limen_disk_${part}_bytes`,
		help: of,
		registers: [registry],
		collect() {
			this.set(roomAt(currentSettings().LIMEN_STATE_DIR)[part as 'free' | 'all']);
		}
	});

export const countRequest = (route: string, method: string, status: number, seconds: number): void =>
	requests.observe({ route, method, status: String(status) }, seconds);
export const countRefusedCaller = (reason: string): void => refusedCallers.inc({ reason });

let server: Server | undefined;

export function startMetrics(): Promise<void> {
	const listener = createServer((request, response) => {
		if (request.url !== '/metrics') return void response.writeHead(404).end();
		registry.metrics().then(
			(text) => response.writeHead(200, { 'content-type': registry.contentType }).end(text),
			() => response.writeHead(500).end()
		);
	});
	server = listener;
	return new Promise((resolve, reject) => {
		listener.once('error', reject);
		listener.listen(currentSettings().LIMEN_METRICS_PORT, '127.0.0.1', () => resolve());
	});
}

export function stopMetrics(): void {
	server?.close();
	server?.closeAllConnections();
}
