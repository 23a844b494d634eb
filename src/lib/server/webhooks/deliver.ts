import { createHash, createHmac } from 'node:crypto';
import {
	answered,
	CLOUD_EVENT,
	cloudEvent,
	GIVEN_UP_AFTER_MS,
	pauseAfter,
	signatureBase,
	signatureParameters,
	type Answered,
	type Told
} from '../../../core/webhooks';
import { cleanText } from '../../../core/text';
import { database, timeNow } from '../database';
import { takeTurns, type Turns } from '../jobs';
import { unseal } from '../keys';
import { notify } from '../live';
import { log } from '../log';
import { askOutward, NotAsked } from '../outward';
import { currentSettings, publicUrl } from '../settings';

/** One that hangs holds up one of these for so long, and then waits longer each time. */
const LANES = 4;
const ANSWERS_WITHIN_MS = 10_000;
/** Longer than a try takes: a process that was killed in the middle lets go by itself. */
const CLAIM = '30 seconds';

/** From now on programs are told what happens: of each webhook one thing at a time, in the order in which it happened. */
export const startTelling = (): Turns =>
	takeTurns('what programs are told', 'webhook-due', async (isStopping) => {
		await Promise.all(
			Array.from({ length: LANES }, async () => {
				for (let due = await claim(); due; due = isStopping() ? null : await claim()) await tell(due);
			})
		);
	});

interface Due extends Told {
	/** Of the delivery. */
	readonly delivery: string;
	readonly webhook: string;
	readonly url: string;
	readonly secret: string;
	readonly failures: number;
	readonly tries: number;
	/** Of the webhook, when it was to be told: whoever changes or tries it meanwhile says so anew. */
	readonly nextAt: string;
}

/** What is to be told next by a webhook that nobody is at: it is held until it was told, or the claim runs out. */
async function claim(): Promise<Due | null> {
	const { rows } = await database().raw(
		`with next as (
			select id from webhook where is_on and ended_at is null and next_at <= now() and (claimed_until is null or claimed_until < now())
				and exists (select from webhook_delivery d where d.webhook_id = webhook.id and taken_at is null and given_up_at is null)
			order by next_at, id limit 1 for update skip locked
		), held as (
			update webhook set claimed_until = now() + interval '${CLAIM}' from next where webhook.id = next.id returning webhook.*
		)
		select d.id as delivery, d.event_id as id, d.kind, d.at, d.data, d.tries, held.id as webhook, held.url, held.secret, held.failures, held.next_at::text as "nextAt"
		from held join lateral (
			select * from webhook_delivery d where d.webhook_id = held.id and taken_at is null and given_up_at is null order by id limit 1
		) d on true`
	);
	return rows[0] ?? null;
}

const COVERED = ['@method', '@target-uri', 'content-type', 'content-digest'];

/** Signed by RFC 9421 over what is told and where, its digest by RFC 9530. */
function signedRequest(body: string, url: string, { keyId, secret }: { keyId: string; secret: string }) {
	const headers = {
		'content-type': CLOUD_EVENT,
		'content-digest': `sha-256=:${createHash('sha256').update(body).digest('base64')}:`
	};
	const created = Math.floor(timeNow() / 1000);
	const parameters = signatureParameters(COVERED, { created, keyId, algorithm: 'hmac-sha256' });
	const base = signatureBase({ method: 'POST', url, headers }, COVERED, parameters);
	const signature = createHmac('sha256', Buffer.from(secret, 'base64')).update(base).digest('base64');
	return { ...headers, 'signature-input': `limen=${parameters}`, signature: `limen=:${signature}:` };
}

interface Outcome {
	readonly became: Answered;
	readonly status: number | null;
	readonly trouble: string;
	readonly tookMs: number;
	readonly waitMs?: number;
}

async function tell(due: Due): Promise<void> {
	const outcome = await ask(due);
	await note(due, outcome);
}

async function ask(due: Due): Promise<Outcome> {
	const began = performance.now();
	const tookMs = () => Math.round(performance.now() - began);
	try {
		const body = cloudEvent(due, publicUrl(currentSettings()));
		const {
			status,
			headers,
			body: said
		} = await askOutward({
			url: due.url,
			method: 'POST',
			headers: {
				'user-agent': 'Limen',
				...signedRequest(body, due.url, { keyId: due.webhook, secret: unseal(due.secret) })
			},
			body,
			withinMs: ANSWERS_WITHIN_MS,
			mostOctets: 2_000
		});
		const became = answered(status);
		const wait = Number(headers['retry-after']);
		return {
			became,
			status,
			tookMs: tookMs(),
			trouble: became === 'taken' ? '' : troubleOf(status, said.toString('utf8')),
			...(wait > 0 && { waitMs: Math.min(wait, 3_600) * 1_000 })
		};
	} catch (error) {
		const words = error instanceof NotAsked ? error.message : networkWords(error as NodeJS.ErrnoException);
		return { became: 'later', status: null, tookMs: tookMs(), trouble: words.slice(0, 500) };
	}
}

const troubleOf = (status: number, said: string): string =>
	(status >= 300 && status < 400
		? `It answered ${status}: it sends elsewhere, where nobody follows.`
		: `It answered ${status}${said ? `: ${cleanText(said).slice(0, 300)}` : '.'}`
	).slice(0, 500);

const networkWords = ({ code, message }: NodeJS.ErrnoException): string =>
	({
		ECONNREFUSED: 'Nobody listens there.',
		ENOTFOUND: 'Nobody knows the name of the address.',
		ECONNRESET: 'The connection broke off.'
	})[code ?? ''] ?? message;

/** What became of it; a webhook that fails waits longer each time, and one that wants no more is turned off. */
async function note(due: Due, { became, status, trouble, tookMs, waitMs }: Outcome): Promise<void> {
	const isOld = timeNow() - due.at.getTime() > GIVEN_UP_AFTER_MS;
	const isFailure = became === 'later' || became === 'gone';
	const failures = isFailure ? due.failures + 1 : 0;
	await database().transaction(async (trx) => {
		await trx('webhook_delivery')
			.where({ id: due.delivery })
			.update({
				tries: due.tries + 1,
				last_at: trx.fn.now(),
				status,
				took_ms: tookMs,
				trouble,
				taken_at: became === 'taken' ? trx.fn.now() : null,
				given_up_at: became === 'refused' || (became === 'later' && isOld) ? trx.fn.now() : null
			});
		await trx('webhook').where({ id: due.webhook }).update({ claimed_until: null });
		// Who changed it, or tried it by hand, meanwhile has said when it is tried again
		await trx('webhook')
			.where({ id: due.webhook })
			.whereRaw('next_at = ?::timestamptz', [due.nextAt])
			.update({
				failures,
				trouble: isFailure ? trouble : '',
				next_at: trx.raw(`now() + make_interval(secs => ?)`, [
					isFailure ? Math.max(waitMs ?? 0, pauseAfter(failures)) / 1000 : 0
				]),
				...(became === 'gone' && { is_on: false })
			});
		await notify(trx, 'webhooks', null, [due.webhook]);
	});
	if (isFailure && failures === 1) log.warn({ webhook: due.webhook, trouble }, 'a webhook is not heard');
}
