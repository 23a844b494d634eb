import { readdirSync, readFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Installation } from '../installation/installation';
import type { SmallDisk } from '../installation/small-disk';
import type { Fleet } from './fleet';

/** A time in which something was away by intent, in milliseconds since the epoch. */
export interface Away {
	readonly what: string;
	readonly from: number;
	/** When the application answered from its database again. */
	readonly back: number;
	/** From when on nothing is slow any more because of it. */
	readonly to: number;
}
/** How much the application's processes have at a moment, all together. */
export interface Sample {
	readonly at: number;
	readonly memory: number;
	readonly handles: number;
	readonly connections: number;
}

/** So long after it is back what waited meanwhile still is slow. */
const CATCHING_UP_MS = 10_000;
const FURTHEST_JUMP_MS = 120_000;
/** Somebody makes room after so long. */
const FULL_MS = 15_000;

/** Kills with -9, cuts and ends, one thing at a time. */
export class Trouble {
	readonly away: Away[] = [];
	readonly samples: Sample[] = [];
	#goesOn = true;
	#work: Promise<void>[] = [];

	constructor(
		private readonly here: Installation,
		private readonly fleet: Fleet,
		private readonly chance: () => number,
		/** On which the installation is, where it has one of its own. */
		private readonly disk: SmallDisk | null
	) {}

	#kinds(): Readonly<Record<string, () => Promise<void>>> {
		const { disk } = this;
		return { ...this.#always, ...(disk && { 'room on the disk': () => this.#withoutRoom(disk) }) };
	}
	readonly #always: Readonly<Record<string, () => Promise<void>>> = {
		'one of the application’s processes': () => this.here.killOneOfMany(),
		'the application': async () => {
			await this.here.killApplication();
			await this.here.start();
		},
		PostgreSQL: () => this.here.killPostgres(),
		'every connection to the database': async () => {
			await this.here.query(
				'select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()'
			);
		},
		'the power of all units': () => this.fleet.restart(),
		'the clock of the application': () => this.#jump()
	};

	async #withoutRoom(disk: SmallDisk): Promise<void> {
		disk.fill();
		await sleep(FULL_MS);
		disk.makeRoom();
	}

	/** Forward or back by up to two minutes, from wherever it stood. */
	async #jump(): Promise<void> {
		this.here.setClock(Math.round((this.chance() * 2 - 1) * FURTHEST_JUMP_MS));
		// It is looked at ten times a second
		await sleep(500);
	}

	/** Once every so many milliseconds, each kind in its turn; and a look at what the processes have. */
	start(everyMs: number): void {
		const kinds = Object.entries(this.#kinds()).sort(() => this.chance() - 0.5);
		const trouble = async () => {
			for (let turn = 0; ; turn++) {
				await this.#pause(everyMs);
				if (!this.#goesOn) return;
				const [what, work] = kinds[turn % kinds.length]!;
				const from = Date.now();
				await work();
				await this.back();
				const back = Date.now();
				this.away.push({ what, from, back, to: back + CATCHING_UP_MS });
			}
		};
		const sampling = async () => {
			while (this.#goesOn) {
				await this.#pause(5_000);
				const sample = await this.#sample().catch(() => null);
				if (sample) this.samples.push(sample);
			}
		};
		this.#work = [trouble(), sampling()];
	}

	async stop(): Promise<void> {
		this.#goesOn = false;
		await Promise.all(this.#work);
		this.here.setClock(0);
	}

	/** Resolves when the application answers and reaches its database. */
	async back(): Promise<void> {
		for (;;) {
			const answer = await fetch(this.here.url('/readyz')).catch(() => null);
			if (answer?.ok) return;
			await sleep(100);
		}
	}

	/** Looks up now and then, so that a stop is noticed. */
	async #pause(milliseconds: number): Promise<void> {
		const until = Date.now() + milliseconds;
		while (this.#goesOn && Date.now() < until) await sleep(250);
	}

	async #sample(): Promise<Sample> {
		const of = applicationsOf(this.here);
		const [row] = await this.here.query<{ count: number }>(
			`select count(*)::int as count from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()`
		);
		const memory = of.reduce(
			(sum, pid) =>
				sum + Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024,
			0
		);
		const handles = of.reduce((sum, pid) => sum + readdirSync(`/proc/${pid}/fd`).length, 0);
		return { at: Date.now(), memory, handles, connections: row!.count };
	}
}

/** The processes that answer for an installation. */
const applicationsOf = ({ settings }: Installation): readonly number[] =>
	readdirSync('/proc')
		.filter((name) => /^\d+$/.test(name))
		.flatMap((pid) => {
			try {
				return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('build/serve.js') &&
					readFileSync(`/proc/${pid}/environ`, 'utf8').includes(settings.LIMEN_STATE_DIR)
					? [Number(pid)]
					: [];
			} catch {
				return [];
			}
		});
