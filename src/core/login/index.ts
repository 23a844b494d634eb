import { holdsAddress, parseAddress, parsePrefix, type Prefix } from '../address';
import { counted } from '../text';

/** Credentials for units of a customer, as far as it has to be chosen between them. */
export interface LoginRule {
	readonly id: string;
	readonly name: string;
	readonly ranges: readonly string[];
	/** Only for these; empty: for all. */
	readonly models: readonly string[];
	/** Among equals the lowest comes first. */
	readonly ordinal: number;
}
export interface ChosenLogin {
	readonly id: string;
	readonly name: string;
	/** Why it is this one, in words. */
	readonly why: string;
}

interface Fitting {
	readonly rule: LoginRule;
	readonly range: string;
	readonly prefix: Prefix;
}

/**
 * Which of a customer's logins is used at an address: the one with the most specific range that the address is in; of equal
 * ranges one that names the unit's model before one for all; then the lowest in order, then by name. Null when none fits, or the
 * address is none. `model`: null when it is not known, and then none that names models fits.
 */
export function loginFor(
	address: string,
	model: string | null,
	rules: readonly LoginRule[]
): ChosenLogin | null {
	const wanted = parseAddress(address);
	if (!wanted) return null;
	const fitting = rules
		.filter(({ models }) => models.length === 0 || (model !== null && models.includes(model)))
		.flatMap((rule): Fitting[] => {
			const [narrowest] = rule.ranges
				.flatMap((range) => {
					const prefix = parsePrefix(range);
					return prefix && holdsAddress(prefix, wanted) ? [{ rule, range, prefix }] : [];
				})
				.sort((a, b) => b.prefix.length - a.prefix.length);
			return narrowest ? [narrowest] : [];
		})
		.sort(
			(a, b) =>
				b.prefix.length - a.prefix.length ||
				Math.sign(b.rule.models.length) - Math.sign(a.rule.models.length) ||
				a.rule.ordinal - b.rule.ordinal ||
				(a.rule.name < b.rule.name ? -1 : 1)
		);
	const [first, second] = fitting;
	return first
		? { id: first.rule.id, name: first.rule.name, why: whyFirst(first, second, fitting.length) }
		: null;
}

function whyFirst(first: Fitting, second: Fitting | undefined, count: number): string {
	const inside = `${first.range} is ${count === 1 ? 'the only range that it is in' : 'the most specific range that it is in'}`;
	if (!second) return `${inside}.`;
	if (second.prefix.length < first.prefix.length)
		return `${inside}; ${counted(count - 1, 'wider one')} ${count === 2 ? 'would fit' : 'would fit'} too.`;
	if (first.rule.models.length > 0 && second.rule.models.length === 0)
		return `${inside}, and it names the model, unlike “${second.rule.name}”.`;
	return first.rule.ordinal < second.rule.ordinal
		? `${inside}, and it comes before “${second.rule.name}” in order.`
		: `${inside}, and by its name it comes before “${second.rule.name}”.`;
}

/** What of reaching an address went wrong; `in`: nothing. */
export type TryOutcome =
	| 'in'
	| 'unreachable'
	| 'port closed'
	| 'no ssh'
	| 'host key'
	| 'login'
	| 'held back'
	| 'privilege'
	| 'prompt';
/** Behind the login: what is asked of a unit whose pack is known. */
type Behind = Extract<TryOutcome, 'privilege' | 'prompt'>;
export type EntryOutcome = Exclude<TryOutcome, Behind>;
export const TRY_WORDS: Readonly<Record<TryOutcome, string>> = {
	in: 'It lets in.',
	unreachable: 'Nobody answers at this address.',
	'port closed': 'Nothing listens at this port.',
	'no ssh': 'What answers there does not speak SSH as it should.',
	'host key': 'Its host key is another one than at the first contact.',
	login: 'User or password was refused.',
	'held back':
		'It refused the login three times within an hour; it is not tried again before that is over, so that no account is locked.',
	privilege: 'It lets in, and does not take what is to raise privileges.',
	prompt: 'It lets in, and then waits with something that its pack does not know.'
};

/** Which part of reaching an address a failure was about, by what the network and SSH say of it. */
export function failedPart(message: string): Exclude<EntryOutcome, 'in' | 'held back'> {
	if (/ECONNREFUSED|connection refused/i.test(message)) return 'port closed';
	if (
		/EHOSTUNREACH|ENETUNREACH|ETIMEDOUT|did not answer|timed? ?out/i.test(message) &&
		!/handshake/i.test(message)
	)
		return 'unreachable';
	if (/All configured authentication methods failed/.test(message)) return 'login';
	return /host key/i.test(message) ? 'host key' : 'no ssh';
}

/** Which part of coming to a command line failed behind a login, by what was said; null: neither of these. */
export const failedBehind = (message: string): Behind | null =>
	/raise privileges|did not take the password/.test(message)
		? 'privilege'
		: /knows neither such a prompt|its first prompt/.test(message)
			? 'prompt'
			: null;

/** So often an address may refuse a login within an hour. */
const MOST_REFUSALS = 3;
/** At so many addresses one after the other a login may be refused within an hour: its account can be one for all of them. */
const MOST_IN_A_ROW = 5;

/** Why a login is not shown now, so that no account is locked; null when it may be. In refusals of the last hour. */
export const heldBackWords = (refused: {
	readonly atAddress: number;
	readonly inARow: number;
}): string | null =>
	refused.atAddress >= MOST_REFUSALS
		? TRY_WORDS['held back']
		: refused.inARow >= MOST_IN_A_ROW
			? `This login was refused ${MOST_IN_A_ROW} times one after the other within an hour, wherever it was shown; it is shown nowhere before that is over or the login is changed, so that no account is locked.`
			: null;
