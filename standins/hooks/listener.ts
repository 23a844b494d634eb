import { escape, PAGE_STYLE } from '../yard/pages';

/** What a program was told by a webhook. */
interface Heard {
	readonly at: string;
	readonly type: string;
	readonly subject: string;
	readonly event: unknown;
}
const MOST_HEARD = 200;

/** A program that listens to webhooks: it takes every event and shows the latest. */
export class HookListener {
	#heard: Heard[] = [];

	/** The latest first. */
	get heard(): readonly Heard[] {
		return this.#heard;
	}

	/** Takes an event of CloudEvents 1.0 in structured JSON. Rejects what is none. */
	take(text: string): void {
		const event = JSON.parse(text) as Record<string, unknown>;
		if (event.specversion !== '1.0' || typeof event.type !== 'string')
			throw new Error('That is no CloudEvent.');
		this.#heard.unshift({
			at: new Date().toISOString(),
			type: event.type,
			subject: String(event.subject ?? ''),
			event
		});
		this.#heard.length = Math.min(this.#heard.length, MOST_HEARD);
	}
}

/** What was heard as a plain page. */
export const heardPage = (heard: readonly Heard[]): string => `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Heard</title>${PAGE_STYLE}</head>
<body><h1>What a program was told</h1><p><a href="/">To the yard</a></p>
${heard.map(({ at, type, subject, event }) => `<article><h2>${escape(type)}</h2>${escape(subject)}, ${escape(at)}\n\n${escape(JSON.stringify(event, null, 2))}</article>`).join('\n') || '<p>Nothing was told yet.</p>'}
</body></html>`;
