import { setImmediate as thisTurnsEnd } from 'node:timers/promises';
import type { ErrandKind } from '../../../core/errand';
import { maskSecrets } from '../../../core/profile';
import { counted } from '../../../core/text';
import { database } from '../database';
import { run } from './ssh';
import { heldBy, type Held } from './held';

/** What is kept whole of what an errand brought back. */
export type ReadingKind = 'configuration';

export interface Line {
	/** Milliseconds since the epoch. */
	readonly at: number;
	readonly speaker: 'limen' | 'unit' | 'note';
	readonly words: string;
	/** In octets, of what was really said. */
	readonly bytes: number;
	/** Kept whole as a reading; `words` then says only what it is. */
	readonly reading?: { readonly kind: ReadingKind; readonly content: string };
}

/** The connection broke: whatever was asked, nothing is known of the answer. */
export class ConnectionBroke extends Error {}

const BROKE = 'The connection broke before the answer was whole.';

/** Of one answer no more stands in the dialogue; a reading keeps the whole. */
const MOST_WORDS = 16 * 1024;

/** What is said to a unit in one errand and what it answers, line by line; secrets are masked as it is written. */
export class Dialogue {
	readonly lines: Line[] = [];
	readonly #held: Held;

	constructor(held: Held) {
		this.#held = held;
	}

	/**
	 * Asks one command and returns what the unit printed, which is kept as a reading when it is one. Rejects, and
	 * notes it, when it could not be asked; with ConnectionBroke when nobody knows.
	 */
	async ask(command: string, keep?: ReadingKind): Promise<string> {
		this.#line('limen', command);
		let printed: string;
		try {
			printed = await run(this.#held.client, command);
		} catch (error) {
			const { message } = error as Error;
			this.note(message);
			throw (await this.#broke()) ? new ConnectionBroke(message) : error;
		}
		// What came before it broke looks like an answer, and is half of one
		if (await this.#broke()) {
			this.note(BROKE);
			throw new ConnectionBroke(BROKE);
		}
		if (keep) this.#keep(printed, keep);
		else this.#line('unit', printed.trimEnd());
		return printed;
	}

	/** A connection that broke says so only after what went over it. */
	async #broke(): Promise<boolean> {
		await thisTurnsEnd();
		return heldBy(this.#held.unit.unitId) !== this.#held;
	}

	/** Something that Limen has to say about it. */
	note(words: string): void {
		this.#line('note', words);
	}

	#keep(printed: string, kind: ReadingKind): void {
		this.lines.push({
			at: Date.now(),
			speaker: 'unit',
			words: `A configuration of ${counted(printed.trimEnd().split('\n').length, 'line')}.`,
			bytes: Buffer.byteLength(printed),
			reading: { kind, content: printed }
		});
	}

	#line(speaker: Line['speaker'], said: string): void {
		const masked = maskSecrets(said);
		const words =
			masked.length > MOST_WORDS
				? `${masked.slice(0, MOST_WORDS)}\n… and ${masked.length - MOST_WORDS} characters more`
				: masked;
		this.lines.push({ at: Date.now(), speaker, words, bytes: Buffer.byteLength(said) });
	}
}

export interface SaidLine {
	readonly id: string;
	readonly at: Date;
	readonly speaker: Line['speaker'];
	readonly words: string;
	readonly errandId: string;
	readonly readingId: string | null;
	/** What it was said for. */
	readonly errandKind: ErrandKind;
}

const PAGE = 200;

/** What was said to a unit and answered, newest first: a page of lines before `before`, of those that hold `text`. */
export const dialogueOf = (
	unitId: string,
	{ text = '', before = null, limit = PAGE }: { text?: string; before?: string | null; limit?: number } = {}
): Promise<SaidLine[]> => {
	const query = database()('dialogue')
		.join('errand', 'errand.id', 'errand_id')
		.where('dialogue.unit_id', unitId)
		.orderBy('dialogue.id', 'desc')
		.limit(limit)
		.select(
			'dialogue.id',
			'at',
			'speaker',
			'dialogue.words',
			'errand_id as errandId',
			'reading_id as readingId',
			'errand.kind as errandKind'
		);
	if (text !== '') query.whereRaw('strpos(lower(dialogue.words), lower(?)) > 0', [text]);
	if (before !== null) query.where('dialogue.id', '<', before);
	return query;
};

/** How much of a unit's dialogue is kept, and how much of it came on each of the last days. */
export async function dialogueSize(
	unitId: string
): Promise<{ readonly bytes: number; readonly lines: number; readonly today: number }> {
	const { rows } = await database().raw(
		`select coalesce(sum(bytes), 0)::float8 as bytes, count(*)::int as lines,
			coalesce(sum(bytes) filter (where at > now() - interval '1 day'), 0)::float8 as today from dialogue where unit_id = ?`,
		[unitId]
	);
	return rows[0];
}
