import PostalMime from 'postal-mime';
import { SMTPServer } from 'smtp-server';
import { escape, PAGE_STYLE } from '../yard/pages';

/** A mail server that delivers nowhere: what arrives can be read on a page of the yard's. */
export interface LetterFile {
	readonly name: string;
	readonly kind: string;
	readonly content: Uint8Array;
}
export interface Letter {
	readonly to: string;
	readonly from: string;
	readonly subject: string;
	readonly text: string;
	readonly at: string;
	/** How often a letter arrived before it: names it. */
	readonly number: number;
	/** The names of what is attached. */
	readonly attached: readonly string[];
}

const MOST_LETTERS = 200;
const LARGEST_BYTES = 25 * 1024 * 1024;
/** Of so many letters what is attached is kept. */
const MOST_WITH_FILES = 20;

export class PostBox {
	#letters: Letter[] = [];
	#arrived = 0;
	readonly #files = new Map<number, readonly LetterFile[]>();
	readonly #server = new SMTPServer({
		authOptional: true,
		disabledCommands: ['STARTTLS', 'AUTH'],
		size: LARGEST_BYTES,
		logger: false,
		onData: (stream, session, callback) => {
			const chunks: Buffer[] = [];
			stream.on('data', (chunk: Buffer) => chunks.push(chunk));
			stream.on('end', () => {
				PostalMime.parse(Buffer.concat(chunks)).then(({ subject = '', text = '', from, attachments }) => {
					const to = session.envelope.rcptTo.map(({ address }) => address).join(', ');
					this.#letters.unshift({
						to,
						from: from?.address ?? '',
						subject,
						text,
						at: new Date().toISOString(),
						number: this.#arrived,
						attached: attachments.map(({ filename }) => filename ?? '')
					});
					this.#keep(
						attachments.map(({ filename, mimeType, content }) => ({
							name: filename ?? '',
							kind: mimeType,
							content:
								typeof content === 'string' ? new TextEncoder().encode(content) : new Uint8Array(content)
						}))
					);
					this.#letters.length = Math.min(this.#letters.length, MOST_LETTERS);
					callback();
				}, callback);
			});
		}
	});

	/** The newest first. */
	get letters(): readonly Letter[] {
		return this.#letters;
	}

	/** What is attached to a letter, by its number and the file's place. */
	file(number: number, at: number): LetterFile | undefined {
		return this.#files.get(number)?.[at];
	}

	#keep(files: readonly LetterFile[]): void {
		if (files.length > 0) this.#files.set(this.#arrived, files);
		this.#arrived++;
		const [oldest] = this.#files.keys();
		if (this.#files.size > MOST_WITH_FILES) this.#files.delete(oldest!);
	}

	listen(port: number, host: string): Promise<void> {
		return new Promise((resolve, reject) => {
			this.#server.on('error', reject);
			this.#server.listen(port, host, resolve);
		});
	}

	close(): void {
		this.#server.close();
	}
}

/** The letters as a plain page; links in them can be followed. */
export const lettersPage = (letters: readonly Letter[]): string => `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Letters</title>${PAGE_STYLE}</head>
<body><h1>Letters</h1><p><a href="/">To the yard</a></p>
${letters.map(({ to, subject, text, at, number, attached }) => `<article data-to="${escape(to)}"><h2>${escape(subject)}</h2>to ${escape(to)}, ${escape(at)}\n\n${escape(text).replace(/https?:\/\/\S+/g, (url) => `<a href="${url}">${url}</a>`)}${attached.map((name, place) => `\n<a href="/letters/${number}/${place}">${escape(name)}</a>`).join('')}</article>`).join('\n') || '<p>Nothing has arrived yet.</p>'}
</body></html>`;
