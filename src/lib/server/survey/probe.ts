import { chosenLogin, unsealedLogin, type Entered } from '../connections';
import { database } from '../database';
import { enterWith } from '../logins';
import { log } from '../log';
import { makersWithPacks } from '../packs';
import { askWhatItIs, NOTHING_SAID, type Said } from './ask';

/** So long one address may take, from its first packet to its last answer. */
const LONGEST_MS = 90_000;

/** What came of asking at an address. */
export interface Probed extends Said {
	readonly loginId: string | null;
	readonly port: number | null;
	readonly hostKey: string | null;
}

/** Logs in at an address of a customer with the login that fits it best, and asks what it is. Rejects never for what is there. */
export async function probe({
	customerId,
	address,
	hint
}: {
	readonly customerId: string;
	readonly address: string;
	readonly hint: string;
}): Promise<Probed> {
	const login = await chosenLogin(database(), customerId, address, null);
	const nobody = { ...NOTHING_SAID, loginId: null, port: null, hostKey: null };
	if (!login)
		return {
			...nobody,
			outcome: 'no login',
			words: 'None of the customer’s logins is for this address. It was not touched.'
		};
	const { port } = login;
	const open: { entered: Entered | null; isOver: boolean } = { entered: null, isOver: false };
	const deadline = setTimeout(() => {
		open.isOver = true;
		open.entered?.close();
	}, LONGEST_MS);
	const about = { ...nobody, loginId: login.id, port };
	try {
		const { tried, entered } = await enterWith({ customerId, address, port }, login);
		if (!entered)
			return {
				...about,
				outcome: tried.outcome === 'in' ? 'broke off' : tried.outcome,
				words: `With “${login.name}”: ${tried.words}`
			};
		open.entered = entered;
		const { hostKey } = entered;
		let isFirst = true;
		const enterAgain = async () => {
			if (isFirst) {
				isFirst = false;
				return entered;
			}
			open.entered?.close();
			if (open.isOver) return null;
			open.entered = (await enterWith({ customerId, address, port }, login)).entered;
			// Its time may have run out meanwhile
			if (open.isOver) open.entered?.close();
			return open.entered;
		};
		const { privileges = null } = await unsealedLogin(database(), login.id);
		const makers = await makersWithPacks();
		const said = await askWhatItIs({ makers, hint, privileges }, enterAgain);
		return open.isOver
			? {
					...about,
					...said,
					hostKey,
					outcome: said.outcome === 'in' ? 'in' : 'broke off',
					words: `It took longer than ${LONGEST_MS / 1000} s. ${said.words}`
				}
			: { ...about, ...said, hostKey };
	} catch (error) {
		// A login that was forgotten meanwhile, say
		log.warn({ address, error: (error as Error).message }, 'an address could not be asked');
		return { ...about, outcome: 'broke off', words: 'Limen could not ask it. The log of Limen says more.' };
	} finally {
		clearTimeout(deadline);
		open.entered?.close();
	}
}
