/** What Limen shows at a login: it is asked whether the unit takes it. */
export interface Offer<Login> {
	readonly login: Login;
	/** What it tells when the unit takes it. */
	readonly name: string;
}

/** What a login is to prove: the unit refuses the old and takes the new. */
export interface LoginTrial<Login> {
	readonly old: Login | null;
	readonly new: Login;
}
export const [OLD, NEW] = ['old', 'new'] as const;

/**
 * In which order logins are shown: of a trial the old one first, since nothing is asked after one that was taken; then what
 * the unit took last, then the rest. Each once.
 */
export function offersOf<Login>(
	usual: readonly Offer<Login>[],
	tookLast: string | null,
	trial: LoginTrial<Login> | null
): readonly Offer<Login>[] {
	const tried: readonly Offer<Login>[] = trial
		? [...(trial.old === null ? [] : [{ login: trial.old, name: OLD }]), { login: trial.new, name: NEW }]
		: [];
	const known = usual.filter(({ name }) => name === tookLast);
	return [...tried, ...known, ...usual.filter(({ name }) => name !== tookLast)];
}

/** What a trial has shown, from the name of the login that the unit took; null when it took none. */
export function trialOutcome(taken: string | null): { readonly proved: boolean; readonly words: string } {
	if (taken === NEW) return { proved: true, words: 'The new one lets in; the old one is refused.' };
	if (taken === OLD) return { proved: false, words: 'The old one still lets in.' };
	return { proved: false, words: 'The new one is refused.' };
}
