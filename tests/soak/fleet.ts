import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { startYard } from '../../command/limen';
import type { Installation } from '../installation/installation';
import { newModelLabel } from '../model-label';

export type Label = Omit<ReturnType<typeof newModelLabel>, 'version'> & {
	readonly version: string;
	readonly line: string;
};

let lines = 0;
/** A new gateway, with a line of its own, that runs its target already: what is soaked is not how long an image takes. */
export function newGateway(): Label {
	const line = `127.30.${Math.floor(lines / 250)}.${(lines++ % 250) + 1}`;
	return { ...newModelLabel('OG-2'), version: '7.0.3', line };
}

/** The stand-ins of a soak: their yard, in a process of its own that may be ended and begun again. */
export class Fleet {
	#process: ChildProcess | null = null;
	readonly labels: Label[] = [];
	/** Apart from Limen's: units have room where Limen has none. */
	readonly #folder = mkdtempSync(join(tmpdir(), 'limen-fleet-'));

	constructor(private readonly here: Installation) {}

	/** What the stand-ins have in their flash, as the yard keeps it. */
	get flash(): string {
		return join(this.#folder, 'flash.json');
	}

	async start(): Promise<void> {
		const file = join(this.#folder, 'soak-units.json');
		writeFileSync(file, JSON.stringify(this.labels));
		this.#process = await startYard(this.here.settings, {
			YARD_UNITS: file,
			YARD_STATE: this.flash,
			YARD_PACE: '0.005',
			YARD_REGISTRIES_TRUST: 'yes'
		});
	}

	remove(): void {
		rmSync(this.#folder, { recursive: true, force: true });
	}

	/** As if the power went everywhere, and came back. */
	async restart(): Promise<void> {
		const process = this.#process!;
		process.kill('SIGTERM');
		await once(process, 'exit');
		await this.start();
	}

	/** May be said again where nobody knows whether it was heard. */
	async bring(labels: readonly Label[]): Promise<void> {
		this.labels.push(...labels.filter((one) => !this.labels.includes(one)));
		await this.#send('', labels);
	}

	/** Says something to a unit in the yard: its power, its faults, what is typed at it. */
	tell = (serial: string, what: object): Promise<void> => this.#send(`/${serial}`, what);

	/** Rejects while the yard is away. */
	async #send(path: string, body: object): Promise<void> {
		const answer = await fetch(`http://127.0.0.1:${this.here.settings.LIMEN_YARD_PORT}/units${path}`, {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify(body)
		});
		if (!answer.ok) throw new Error(`The yard: ${await answer.text()}`);
	}
}
