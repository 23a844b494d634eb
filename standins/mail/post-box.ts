import PostalMime from 'postal-mime';
import { SMTPServer } from 'smtp-server';
import { escape, PAGE_STYLE } from '../yard/pages';

/** A mail server that delivers nowhere: what arrives can be read on a page of the yard's. */
export interface Letter {
	readonly to: string;
	readonly from: string;
	readonly subject: string;
	readonly text: string;
	readonly at: string;
}

const MOST_LETTERS = 200;
const LARGEST_BYTES = 1024 * 1024;

export class PostBox {
	#letters: Letter[] = [];
	readonly #server = new SMTPServer({
		authOptional: true,
		disabledCommands: ['STARTTLS', 'AUTH'],
		size: LARGEST_BYTES,
		logger: false,
		onData: (stream, session, callback) => {
			const chunks: Buffer[] = [];
			stream.on('data', (chunk: Buffer) => chunks.push(chunk));
			stream.on('end', () => {
				PostalMime.parse(Buffer.concat(chunks)).then(({ subject = '', text = '', from }) => {
					const to = session.envelope.rcptTo.map(({ address }) => address).join(', ');
					this.#letters.unshift({
						to,
						from: from?.address ?? '',
						subject,
						text,
						at: new Date().toISOString()
					});
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
${letters.map(({ to, subject, text, at }) => `<article data-to="${escape(to)}"><h2>${escape(subject)}</h2>to ${escape(to)}, ${escape(at)}\n\n${escape(text).replace(/https?:\/\/\S+/g, (url) => `<a href="${url}">${url}</a>`)}</article>`).join('\n') || '<p>Nothing has arrived yet.</p>'}
</body></html>`;
