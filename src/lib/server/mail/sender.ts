import { createTransport, type Transporter } from 'nodemailer';
import { database, runAs, SIGN_IN } from '../database';
import { subscribe } from '../live';
import { log } from '../log';
import { currentSettings } from '../settings';

/**
 * Sends the letters that wait, over SMTP. A letter that could not be sent is tried again with growing
 * pauses, also after a restart; one that was being sent when the power went may arrive twice.
 */
const LOOK_AGAIN_MS = 30_000;
const MOST_ATTEMPTS = 12;

let transport: Transporter | undefined;
let timer: NodeJS.Timeout | undefined;
let unsubscribe: (() => void) | undefined;
let busy = false;
let again = false;

export function startMail(): void {
	const { LIMEN_SMTP_URL } = currentSettings();
	if (!LIMEN_SMTP_URL) return;
	transport = createTransport(LIMEN_SMTP_URL);
	unsubscribe = subscribe(
		({ topic }) => topic === 'mail' && void sendWaiting(),
		() => false
	);
	timer = setInterval(() => void sendWaiting(), LOOK_AGAIN_MS);
	void sendWaiting();
}

export function stopMail(): void {
	clearInterval(timer);
	unsubscribe?.();
	transport?.close();
	transport = undefined;
}

async function sendWaiting(): Promise<void> {
	if (busy) {
		again = true;
		return;
	}
	busy = true;
	try {
		do {
			again = false;
			while (transport && (await runAs(SIGN_IN, () => sendOne(transport!))));
		} while (again);
	} catch (error) {
		log.warn({ error: (error as Error).message }, 'letters could not be sent');
	} finally {
		busy = false;
	}
}

/** Sends the letter that has waited longest; false when none waits. Another process takes another one. */
const sendOne = (by: Transporter): Promise<boolean> =>
	database().transaction(async (trx) => {
		const letter = await trx('mail')
			.whereNull('sent_at')
			.where('next_at', '<=', trx.fn.now())
			.where('attempts', '<', MOST_ATTEMPTS)
			.orderBy('id')
			.forUpdate()
			.skipLocked()
			.first();
		if (!letter) return false;
		const attempts = letter.attempts + 1;
		try {
			await by.sendMail({
				from: currentSettings().LIMEN_MAIL_FROM,
				to: letter.to_address,
				subject: letter.subject,
				text: letter.text
			});
			// The words hold a link that opens a door: they are not kept once they have left
			await trx('mail')
				.where({ id: letter.id })
				.update({ attempts, sent_at: trx.fn.now(), text: '', problem: null });
		} catch (error) {
			const problem = (error as Error).message.slice(0, 500);
			log.warn({ letter: letter.id, attempts, error: problem }, 'a letter could not be sent');
			await trx('mail')
				.where({ id: letter.id })
				.update({ attempts, problem, next_at: trx.raw(`now() + make_interval(secs => ?)`, [2 ** attempts]) });
		}
		return true;
	});
