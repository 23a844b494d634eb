import type { Standing, Step } from '../onboarding';

/** How far a position is, told to somebody who has never seen a router. */
export interface PlainProgress {
	/** Two or three words. */
	readonly short: string;
	/** What happens now, and what to do, if anything. */
	readonly words: string;
	/** Whether whoever reads it has something to do. */
	readonly wantsYou: boolean;
}

/** What a position's progress is called for people on site; `step` is null while no unit is bound. `help`: whom to call, in words. */
export function plainProgress(
	step: Exclude<Step, 'claimed'> | null,
	standing: Standing,
	help: string
): PlainProgress {
	const yours = (short: string, words: string): PlainProgress => ({ short, words, wantsYou: true });
	const ours = (short: string, words: string): PlainProgress => ({ short, words, wantsYou: false });
	if (step === null || standing === 'cancelled')
		return ours('Not chosen yet', 'We have not decided yet which box goes here. There is nothing to do.');
	if (standing === 'stuck' || standing === 'stalled')
		return yours('It needs us', `Something is not right, and it is not your fault. Leave it on. ${help}`);
	if (standing === 'through') return ours('Done', 'It is set up and works. There is nothing more to do.');
	if (standing === 'late')
		return ours(
			'Slower than usual',
			`It takes longer than usual; we can see it. Leave it on and wait a little more.`
		);
	switch (step) {
		case 'bound':
			return yours(
				'Plug it in',
				'We have not heard from it yet. Plug in its cables and its power as on the card.'
			);
		case 'calling':
		case 'identity':
			return ours('It has found us', 'It has power and has found us. Leave it alone now.');
		case 'firmware':
			return ours(
				'Loading its software',
				'This takes longest. It turns itself off and on again, once or more. Leave it alone.'
			);
		case 'configuration':
			return ours('Being set up', 'It is being set up for your site. Leave it alone.');
		default:
			return ours('Being checked', 'It is nearly done: we check that everything works.');
	}
}
