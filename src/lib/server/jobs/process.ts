import { hostname } from 'node:os';
import { v7 as uuid } from 'uuid';
import { BOOTSTRAP, database, runAs } from '../database';
import { log } from '../log';

/**
 * This process among all that serve one database. Each has a row and a heartbeat; one whose heartbeat has
 * stopped is declared ended by any other, and what it held is let go by the sweeps that follow each beat.
 * A process that was only slow finds its row ended and begins a new life: its old one is left alone.
 */
const BEAT_MS = 5_000;
const DEAD_AFTER = '20 seconds';

let id: string | undefined;
let timer: NodeJS.Timeout | undefined;
let beating: Promise<void> = Promise.resolve();
const sweeps: (() => Promise<void>)[] = [];
const rebirths: (() => Promise<void>)[] = [];

/** The row of this process. Throws before it was begun. */
export function thisProcess(): string {
	if (!id) throw new Error('This process has not begun its life in the database.');
	return id;
}

/** What is looked after with every beat; each must do no harm when done twice, or by two processes at once. */
export const onBeat = (sweep: () => Promise<void>): void => void sweeps.push(sweep);
/** What this process does when others took it for dead: what it held is nobody's. */
export const onRebirth = (act: () => Promise<void>): void => void rebirths.push(act);

export async function startProcess(): Promise<void> {
	await runAs(BOOTSTRAP, begin);
	timer = setInterval(() => {
		beating = beating.then(beat).catch((error: Error) => log.warn({ error: error.message }, 'no heartbeat'));
	}, BEAT_MS);
}

/** Ends its life in order: what it held is let go at once. */
export async function stopProcess(): Promise<void> {
	clearInterval(timer);
	await beating;
	if (!id) return;
	await runAs(BOOTSTRAP, async () => {
		await database()('process').where({ id }).update({ ended_at: database().fn.now() });
		for (const sweep of sweeps) await sweep();
	});
	id = undefined;
}

async function begin(): Promise<void> {
	const next = uuid();
	await database()('process').insert({ id: next, name: `${hostname()}, process ${process.pid}` });
	id = next;
}

/** One beat: is this process alive, are others, and is anything left behind? */
export const beat = (): Promise<void> =>
	runAs(BOOTSTRAP, async () => {
		const alive = await database()('process')
			.where({ id: thisProcess() })
			.whereNull('ended_at')
			.update({ heartbeat_at: database().fn.now() });
		if (alive === 0) {
			log.warn('this process was taken for dead; it begins anew');
			await begin();
			for (const act of rebirths) await act();
		}
		// What it held is known to have been held until its last beat
		await database()('process')
			.whereNull('ended_at')
			.whereRaw(`heartbeat_at < now() - interval '${DEAD_AFTER}'`)
			.update({ ended_at: database().ref('heartbeat_at') });
		for (const sweep of sweeps) await sweep();
	});
