import { failedPart, TRY_WORDS, type TryOutcome } from '../../../core/login';
import { cleanText } from '../../../core/text';
import { BOOTSTRAP, database, runAs } from '../database';
import { connectOver, type SshLogin } from './ssh';
import { openTo, pinned, wayFor } from './ways';

/** What came of trying a login at an address. */
export interface Tried {
	readonly outcome: TryOutcome;
	readonly words: string;
}

/** Where something of a customer's is tried. */
export interface TriedAt {
	readonly customerId: string;
	readonly address: string;
	readonly port: number;
}

/**
 * Logs in at an address of a customer, by its way in, and hangs up; which part is wrong where that fails. The host key that it
 * shows first is pinned there. Bounded by the times of connecting and of the handshake.
 */
export async function tryLoginAt({ customerId, address, port }: TriedAt, login: SshLogin): Promise<Tried> {
	const place = { customer_id: customerId, address, port: String(port) };
	try {
		const stream = await openTo(await wayFor(database(), customerId, address), address, port);
		try {
			await database()('address_key').insert(place).onConflict().ignore();
			const { client } = await connectOver(
				stream,
				(key) => runAs(BOOTSTRAP, () => pinned('address_key', place, key)),
				async () => [{ name: 'tried', login }],
				true
			);
			client.end();
		} finally {
			stream.destroy();
		}
		return { outcome: 'in', words: TRY_WORDS.in };
	} catch (error) {
		const said = cleanText((error as Error).message).slice(0, 300);
		const outcome = failedPart(said);
		return { outcome, words: `${TRY_WORDS[outcome]} (${said})` };
	}
}
