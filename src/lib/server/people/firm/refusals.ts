/** Why somebody did not come in through the firm; the page that they come back to has the words. */
export const FIRM_REFUSALS = {
	away: 'The firm’s sign-in does not answer as it should. Come in with a password of your own, or try again later.',
	stopped: 'The firm’s sign-in did not let you in.',
	stale: 'That took too long, or was begun in another window. Try again.',
	untrue:
		'What the firm’s sign-in said could not be trusted. Try again; if it happens again, tell an administrator.',
	nothing: 'The firm knows you, but none of your groups may do anything here. Ask an administrator of Limen.',
	nameless: 'The firm’s sign-in did not tell your e-mail address, or not as one that is checked.',
	shut: 'You were shut out here. Ask an administrator.',
	other: 'That was somebody else. Confirm as the person who is signed in here.'
} as const;
export type FirmRefusal = keyof typeof FIRM_REFUSALS;
/** `back`: where they wanted to go, where that is known. */
export type Refused = { readonly ok: false; readonly why: FirmRefusal; readonly back?: string };
export const refused = (why: FirmRefusal): Refused => ({ ok: false, why });
