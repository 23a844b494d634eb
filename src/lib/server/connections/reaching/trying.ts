import type { Duplex } from 'node:stream';
import { failedPart, TRY_WORDS, type EntryOutcome } from '../../../../core/login';
import { cleanText } from '../../../../core/text';
import { BOOTSTRAP, database, runAs } from '../../database';
import type { Over } from '../speaking/dialogue';
import { connectOver, type SshLogin } from '../speaking/ssh';
import { ANOTHER_KEY, openTo, wayFor } from './ways';

/** What came of trying a login at an address. */
export interface Tried {
	readonly outcome: EntryOutcome;
	readonly words: string;
}
export const letIn: Tried = { outcome: 'in', words: TRY_WORDS.in };

/** Where something of a customer's is tried. */
export interface TriedAt {
	readonly customerId: string;
	readonly address: string;
	readonly port: number;
}
/** A way in that is open. */
export interface Entered extends Over {
	/** What it showed as its key, in base64. */
	readonly hostKey: string;
	readonly close: () => void;
}

/** That nobody logs in now, and why. */
export class HeldBack extends Error {}

/**
 * Logs in at an address of a customer, by its way in. The host key that it shows first is pinned there; `knock` is waited for
 * before the login is shown, and can reject. Rejects with what went wrong; bounded by the times of connecting and of the handshake.
 */
export async function enterAt(
	{ customerId, address, port }: TriedAt,
	login: SshLogin,
	knock: () => Promise<void>
): Promise<Entered> {
	const place = { customer_id: customerId, address, port };
	const stream = await openTo(await wayFor(database(), customerId, address), address, port);
	try {
		let hostKey = '';
		const { client } = await connectOver(
			stream,
			(key) => {
				hostKey = key.toString('base64');
				return runAs(BOOTSTRAP, () => pinnedAt(place, hostKey));
			},
			async () => {
				await runAs(BOOTSTRAP, knock);
				return [{ name: 'tried', login }];
			},
			true
		);
		return {
			client,
			hostKey,
			isThere: () => isOpen(stream),
			close: () => void (client.end(), stream.destroy())
		};
	} catch (error) {
		stream.destroy();
		throw error;
	}
}
/** Whether the key of an address is the one that it showed first; rejects in words when it is another. */
async function pinnedAt(place: Readonly<Record<string, string | number>>, key: string): Promise<boolean> {
	const [row] = await database()('address_key')
		.insert({ ...place, host_key: key })
		.onConflict(['customer_id', 'address', 'port'])
		.merge({ host_key: database().raw('coalesce(address_key.host_key, excluded.host_key)') })
		.returning('host_key');
	if (row.host_key !== key) throw new Error(ANOTHER_KEY);
	return true;
}
const isOpen = (stream: Duplex): boolean => !stream.destroyed && !stream.readableEnded;

/** Which part of logging in failed, by what was said. */
export function failedTry(error: Error): Tried {
	if (error instanceof HeldBack) return { outcome: 'held back', words: error.message };
	const said = cleanText(error.message).slice(0, 300);
	const outcome = failedPart(said);
	return { outcome, words: `${TRY_WORDS[outcome]} (${said})` };
}
