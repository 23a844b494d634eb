import { withWaiting, type Day, type DayEntry } from '$core/day';
import {
	addWaiting,
	asideOf,
	dropAside,
	dropWaiting,
	keepDay,
	keptDay,
	putAside,
	waitingOf,
	type Aside
} from './kept';

interface Outcome {
	readonly id: string;
	readonly outcome: 'done' | 'conflict' | 'refused';
	readonly words: string;
}
type Done<Entry> = Entry extends DayEntry ? Omit<Entry, 'id' | 'at'> : never;
/** Something that was done, before it has an id and a time. */
export type NewEntry = Done<DayEntry>;

/** A photo alone fills a request; of the others many go together. */
const TOGETHER = 50;
const AGAIN_MS = 5_000;

/**
 * A technician's work on a phone: the day as it was last seen, what was done since, and sending that as soon
 * as there is signal. What is done is kept on the phone before anything else happens with it.
 */
export class DayWork {
	waiting = $state.raw<readonly DayEntry[]>([]);
	/** What the server would not take, and why; kept until it is read. */
	refused = $state.raw<readonly Aside[]>([]);
	sending = $state(false);
	/** Whether the last attempt to reach the server failed. */
	cutOff = $state(false);
	private day = $state.raw<Day>() as Day;
	private timer: ReturnType<typeof setTimeout> | undefined;
	/** The day as it will be once all is sent. */
	readonly seen = $derived.by(() => withWaiting(this.day, this.waiting));

	constructor(
		day: Day,
		private readonly sent: () => Promise<void>
	) {
		this.day = day;
	}

	/** Begins: what waited from before comes back, and a day newer than the page's own is taken. */
	async begin(): Promise<void> {
		const kept = await keptDay(this.day.personId);
		if (kept && kept.madeAt > this.day.madeAt) this.day = kept;
		const [waiting, refused] = await Promise.all([waitingOf(this.day.personId), asideOf(this.day.personId)]);
		// Something may have been done while this was read
		const known = new Set(waiting.map(({ id }) => id));
		this.waiting = [...waiting, ...this.waiting.filter(({ id }) => !known.has(id))];
		this.refused = refused;
		await keepDay($state.snapshot(this.day) as Day);
		await this.send();
	}
	stop(): void {
		clearTimeout(this.timer);
	}

	/** A newer day came from the server. */
	async take(day: Day): Promise<void> {
		if (day.madeAt <= this.day.madeAt || day.personId !== this.day.personId) return;
		this.day = day;
		await keepDay(day);
	}

	async add(entry: NewEntry): Promise<void> {
		const made = { ...entry, id: crypto.randomUUID(), at: Date.now() } as DayEntry;
		await addWaiting(this.day.personId, made);
		this.waiting = [...this.waiting, made];
		await this.send();
	}

	/** Takes back what was not sent yet. */
	async takeBack(id: string): Promise<void> {
		await dropWaiting([id]);
		this.waiting = this.waiting.filter((entry) => entry.id !== id);
	}

	/** What was refused has been read. */
	async letGo(id: string): Promise<void> {
		await dropAside(id);
		this.refused = this.refused.filter(({ entry }) => entry.id !== id);
	}

	async send(): Promise<void> {
		if (this.sending || this.waiting.length === 0) return;
		clearTimeout(this.timer);
		this.sending = true;
		try {
			while (this.waiting.length > 0) {
				const [first] = this.waiting;
				const upTo = this.waiting.findIndex(({ kind }) => kind === 'photo');
				const part =
					first!.kind === 'photo'
						? [first!]
						: this.waiting.slice(0, upTo < 0 ? TOGETHER : Math.min(upTo, TOGETHER));
				await this.sendPart(part);
			}
			this.cutOff = false;
			await this.sent();
		} catch {
			this.cutOff = true;
			this.timer = setTimeout(() => void this.send(), AGAIN_MS);
		} finally {
			this.sending = false;
		}
	}

	private async sendPart(part: readonly DayEntry[]): Promise<void> {
		const response = await fetch('/day/sync', {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify({ now: Date.now(), entries: part })
		});
		// Signed out, or the server is being started: it stays on the phone
		if (response.status === 401 || response.status >= 500) throw new Error(String(response.status));
		const answer = (await response.json()) as { outcomes?: readonly Outcome[]; problem?: string };
		const outcomes = new Map(answer.outcomes?.map((outcome) => [outcome.id, outcome]));
		const refused = part.flatMap((entry) => {
			const outcome = outcomes.get(entry.id);
			if (outcome && outcome.outcome !== 'refused') return [];
			return [{ entry, words: outcome?.words ?? answer.problem ?? 'The server does not understand it.' }];
		});
		for (const one of refused) await putAside(this.day.personId, one);
		await dropWaiting(part.map(({ id }) => id));
		const gone = new Set(part.map(({ id }) => id));
		this.waiting = this.waiting.filter(({ id }) => !gone.has(id));
		this.refused = [...this.refused, ...refused];
	}
}

const LONGEST_SIDE = 1600;
const QUALITY = 0.8;

/** A photo made small enough to be sent over a weak signal: JPEG, in base64. */
export async function smallPhoto(photo: Blob): Promise<string> {
	const bitmap = await createImageBitmap(photo);
	const scale = Math.min(1, LONGEST_SIDE / Math.max(bitmap.width, bitmap.height));
	const canvas = new OffscreenCanvas(Math.round(bitmap.width * scale), Math.round(bitmap.height * scale));
	canvas.getContext('2d')!.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
	const jpeg = await canvas.convertToBlob({ type: 'image/jpeg', quality: QUALITY });
	return new Promise((resolve, reject) => {
		const reader = new FileReader();
		reader.onload = () => resolve(String(reader.result).replace(/^[^,]*,/, ''));
		reader.onerror = () => reject(reader.error ?? new Error('The photo cannot be read.'));
		reader.readAsDataURL(jpeg);
	});
}
