import type { ChildProcess } from 'node:child_process';
import { statfsSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Settings } from '../../src/lib/server/settings';
import { clusterRuns, startCluster } from '../cluster';
import { say } from '../problem';

/** Pauses before what ended is started again; one that then ends once more is given up. */
const PAUSES_MS = [500, 2_000, 5_000, 15_000];
/** What has run for so long was started well: its next end is its first again. */
const WELL_MS = 60_000;
const LOOK_MS = 1_000;
/** PostgreSQL recovers into new segments of its log, of 16 MB each. */
const ROOM_TO_START_BYTES = 64 * 1024 * 1024;

/**
 * Sees to it that what the start command started goes on: a program that ends is started again, with growing
 * pauses, and so is the database. What ends again and again ends the start command, which says so.
 */
export class Supervisor {
	#stopping = false;

	/** `folder`: where what is kept here writes. */
	constructor(
		private readonly folder: string,
		private readonly giveUp: (words: string) => void
	) {}

	/** From now on whatever ends was meant to. */
	stop(): void {
		this.#stopping = true;
	}

	/** Starts a program and keeps it running; rejects when it does not start the first time. */
	async keep(name: string, begin: () => Promise<ChildProcess>): Promise<void> {
		const child = await begin();
		this.#after(child, (how) => this.#again(name, how, begin));
	}

	/** Keeps the private cluster running. */
	watchCluster(settings: Settings): void {
		if (settings.LIMEN_DATABASE_URL) return;
		const look = async () => {
			for (;;) {
				await sleep(LOOK_MS, undefined, { ref: false });
				if (this.#stopping) return;
				if (!clusterRuns(settings)) await this.#tries('database', 'ended', () => startCluster(settings));
			}
		};
		void look();
	}

	#after(child: ChildProcess, then: (how: string) => Promise<void>): void {
		const ended = () => {
			if (this.#stopping) return;
			const { exitCode, signalCode } = child;
			void then(signalCode ? `was ended by ${signalCode}` : `ended with code ${exitCode}`);
		};
		if (child.exitCode !== null || child.signalCode !== null) ended();
		else child.once('exit', ended);
	}

	async #again(name: string, how: string, begin: () => Promise<ChildProcess>, failures = 0): Promise<void> {
		let begun = 0;
		let child: ChildProcess | undefined;
		const tried = await this.#tries(
			name,
			how,
			async () => {
				begun = performance.now();
				child = await begin();
			},
			failures
		);
		if (tried === null || !child) return;
		this.#after(child, (next) =>
			this.#again(name, next, begin, performance.now() - begun > WELL_MS ? 0 : tried)
		);
	}

	/** Tries until it works; returns how often it was tried, or null when it was given up or everything stops. */
	async #tries(name: string, how: string, begin: () => Promise<void>, failures = 0): Promise<number | null> {
		for (let tries = failures; ; tries++) {
			const pause = PAUSES_MS[tries];
			if (pause === undefined) {
				this.giveUp(`The ${name} ${how}, again and again. Everything is stopped.`);
				return null;
			}
			say(`The ${name} ${how}. It is started again in ${pause / 1000} s.`);
			await sleep(pause);
			await this.#room(name);
			if (this.#stopping) return null;
			try {
				await begin();
				say(`The ${name} runs again.`);
				return tries + 1;
			} catch (error) {
				how = `did not start (${(error as Error).message.split('\n')[0]})`;
			}
		}
	}

	/** No try mends a full disk, and what would end for want of room is not given up for it. */
	async #room(name: string): Promise<void> {
		const isFull = () => {
			const { bavail, bsize } = statfsSync(this.folder);
			return bavail * bsize < ROOM_TO_START_BYTES;
		};
		if (isFull()) say(`The disk is full. The ${name} is started again when there is room.`);
		while (!this.#stopping && isFull()) await sleep(LOOK_MS);
	}
}
