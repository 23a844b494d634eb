import { setTimeout as sleep } from 'node:timers/promises';
import { v7 as uuid } from 'uuid';
import { ADMINISTRATOR_PASSWORD, type Installation } from '../installation/installation';
import { newGateway, type Fleet, type Label } from './fleet';

/** What was acknowledged, for the checker to find again: nothing of it may be lost or done twice. */
export interface Acknowledged {
	readonly batches: string[];
	binds: number;
	unbinds: number;
	proofs: number;
	sends: number;
	/** Sends of which nobody knows: the answer was lost. */
	unheardSends: number;
	/** The unit that was bound last at each position, by what was acknowledged. */
	readonly bound: Map<string, Bound>;
}
interface Bound {
	readonly label: Label;
	readonly unitId: string;
}
interface Place {
	readonly id: string;
	readonly siteId: string;
	/** As its plan has it by now. */
	hostname: string;
}
/** How long pages took. */
export interface Asked {
	readonly path: string;
	readonly at: number;
	readonly took: number;
	readonly status: number | null;
}

const PAGES = [
	'/',
	'/sites',
	'/units',
	'/arrivals',
	'/upkeep',
	'/upkeep/cohorts',
	'/upkeep/behind',
	'/upkeep/events',
	'/upkeep/health',
	'/records',
	'/running'
];
/** Between what one person does and the next. */
const PAUSE_MS = 1_000;

/** People and programs at work, until they are told to stop: what they do has an outcome that they know. */
export class People {
	readonly acknowledged: Acknowledged = {
		...{ batches: [], binds: 0, unbinds: 0, proofs: 0, sends: 0, unheardSends: 0 },
		bound: new Map()
	};
	readonly asked: Asked[] = [];
	readonly refused: string[] = [];
	#goesOn = true;
	#work: Promise<void>[] = [];
	/** Positions with their sites, which one program at a time works at. */
	readonly #free: Place[];

	constructor(
		private readonly here: Installation,
		private readonly fleet: Fleet,
		private readonly customerId: string,
		private readonly token: string,
		private readonly cookie: string,
		positions: readonly Place[],
		private readonly chance: () => number
	) {
		this.#free = [...positions];
	}

	/** An act over the API, sent again with the same key for as long as nobody answers: a program that means it once. */
	async #act(method: string, path: string, body?: object): Promise<{ status: number; text: string }> {
		const key = uuid();
		for (;;) {
			const answer = await fetch(this.here.url(`/api/v1${path}`), {
				method,
				headers: {
					authorization: `Bearer ${this.token}`,
					'content-type': 'application/json',
					'idempotency-key': key
				},
				body: body ? JSON.stringify(body) : null,
				signal: AbortSignal.timeout(60_000)
			})
				.then(async (one) => ({
					status: one.status,
					isAnswer: one.status < 500 && !one.headers.has('retry-after'),
					text: await one.text()
				}))
				.catch(() => null);
			if (answer?.isAnswer) return answer;
			// What is away comes back when it does
			await sleep(200);
		}
	}
	/** Says something to the yard, which may be away as well. */
	async #tell(work: () => Promise<void>): Promise<void> {
		for (;;) {
			if (
				await work().then(
					() => true,
					() => false
				)
			)
				return;
			await sleep(200);
		}
	}

	#note(what: string, { status, text }: { status: number; text: string }): boolean {
		if (status < 300) return true;
		this.refused.push(`${what}: ${status} ${text.slice(0, 200)}`);
		return false;
	}

	/** Claims new units, binds them and gives them power. */
	async arrive(positions: readonly Place[]): Promise<void> {
		const labels = positions.map(newGateway);
		await this.#tell(() => this.fleet.bring(labels));
		const text = labels.map(({ serial, mac, claimCode }) => `${serial},${mac},${claimCode}`).join('\n');
		const claimed = await this.#act('POST', '/batches', { customerId: this.customerId, text });
		if (!this.#note('claim', claimed)) return;
		const batch = JSON.parse(claimed.text) as {
			id: string;
			rows: { serial: string; unitId: string | null }[];
		};
		this.acknowledged.batches.push(batch.id);
		for (const [index, label] of labels.entries()) {
			const unitId = batch.rows.find(({ serial }) => serial === label.serial)?.unitId;
			const positionId = positions[index]!.id;
			const bound = await this.#act('POST', '/bindings', { positionId, unitId });
			if (!this.#note('bind', bound)) continue;
			this.acknowledged.binds++;
			this.acknowledged.bound.set(positionId, { label, unitId: unitId! });
			await this.#tell(() => this.fleet.tell(label.serial, { power: true }));
		}
	}

	/** Somebody else's unit comes to stand there. */
	async #replace(position: Place): Promise<void> {
		const bound = this.acknowledged.bound.get(position.id);
		if (bound) {
			const unbound = await this.#act('DELETE', `/bindings/${position.id}`);
			if (!this.#note('unbind', unbound)) return;
			this.acknowledged.unbinds++;
			this.acknowledged.bound.delete(position.id);
			await this.#tell(() => this.fleet.tell(bound.label.serial, { power: false }));
		}
		await this.arrive([position]);
	}

	async #disturb(position: Place): Promise<void> {
		const bound = this.acknowledged.bound.get(position.id);
		if (!bound) return;
		const { label } = bound;
		const faults = ['cut-fibre', 'lossy-line', 'no-name', 'wrong-clock'];
		const fault = faults[Math.floor(this.chance() * faults.length)]!;
		await this.#tell(() =>
			this.fleet.tell(label.serial, this.chance() < 0.5 ? { power: false } : { faults: [fault] })
		);
		await sleep(3_000);
		await this.#tell(() => this.fleet.tell(label.serial, { faults: [], power: true }));
	}

	async #prove({ siteId }: Place): Promise<void> {
		const proven = await this.#act('POST', `/sites/${siteId}/proof`);
		if (this.#note('prove', proven)) this.acknowledged.proofs++;
	}

	/** A value is changed, and sent as a person sends it; not twice, whatever becomes of the answer. */
	async #change(position: Place): Promise<void> {
		const bound = this.acknowledged.bound.get(position.id);
		if (!bound) return;
		const now = `soak-${Math.floor(this.chance() * 1e9)}`;
		const changes = [{ positionId: position.id, field: 'hostname', was: position.hostname, now }];
		const saved = await this.#form('/values?/save', { changes: JSON.stringify(changes) });
		if (!saved?.ok) return;
		position.hostname = now;
		const path = `/units/${bound.unitId}/send`;
		const page = await fetch(this.here.url(path), { headers: { cookie: this.cookie } })
			.then((answer) => answer.text())
			.catch(() => '');
		const field = (name: string) => new RegExp(`name="${name}" value="([^"]+)"`).exec(page)?.[1];
		const [reading, fingerprint] = [field('reading'), field('fingerprint')];
		// Its unit is away, or something else is under way there
		if (!reading || !fingerprint) return;
		const sent = await this.#form(`${path}?/send`, {
			...{ reading, fingerprint, asked: 'on', reason: 'It has another name.' },
			confirm_password: ADMINISTRATOR_PASSWORD
		});
		if (sent?.ok) this.acknowledged.sends++;
		else if (!sent || sent.status >= 500) this.acknowledged.unheardSends++;
	}

	/**
	 * What a technician does at a unit that stands still: one that lost its power after it was configured and before it said so
	 * is nobody whom Limen would know. It is set back, and let try again.
	 */
	async help(positionId: string): Promise<void> {
		const bound = this.acknowledged.bound.get(positionId);
		if (!bound) return;
		await this.#act('POST', `/positions/${positionId}/retry`);
		await this.#tell(() => this.fleet.tell(bound.label.serial, { reset: true, power: true }));
	}

	#form = (path: string, fields: Record<string, string>): Promise<Response | null> =>
		this.here.form(path, fields, this.cookie).catch(() => null);

	/** Begins: so many programs that act, and so many people who look at pages. */
	start(programs: number, readers: number): void {
		const program = async () => {
			while (this.#goesOn) {
				const [position] = this.#free.splice(Math.floor(this.chance() * this.#free.length), 1);
				if (!position) return;
				const chosen = this.chance();
				if (chosen < 0.25) await this.#replace(position);
				else if (chosen < 0.5) await this.#disturb(position);
				else if (chosen < 0.75) await this.#change(position);
				else await this.#prove(position);
				this.#free.push(position);
				await sleep(PAUSE_MS * this.chance());
			}
		};
		const reader = async () => {
			while (this.#goesOn) {
				const path = PAGES[Math.floor(this.chance() * PAGES.length)]!;
				const at = Date.now();
				const status = await fetch(this.here.url(path), {
					headers: { cookie: this.cookie },
					redirect: 'manual',
					signal: AbortSignal.timeout(60_000)
				})
					.then(async (answer) => {
						await answer.text();
						return answer.status;
					})
					.catch(() => null);
				this.asked.push({ path, at, took: Date.now() - at, status });
				await sleep(PAUSE_MS * this.chance());
			}
		};
		this.#work = [...Array.from({ length: programs }, program), ...Array.from({ length: readers }, reader)];
	}

	/** What was begun is done to its end. */
	async stop(): Promise<void> {
		this.#goesOn = false;
		await Promise.all(this.#work);
	}
}
