import type { Failure } from './run';
import type { RunStep } from './steps';

/** What to do next, in plain words, for the technician or whoever is at the unit. */
export function adviceFor(
	run: { readonly step: RunStep; readonly failure: Failure | null },
	refused: { readonly wrongCode: number }
): string | null {
	if (run.failure) return failureAdvice(run.failure);
	if (run.step === 'bound')
		return refused.wrongCode > 0
			? 'It calls with a claim code that is not the one on record. Read the code on the label again and correct it on the unit’s page.'
			: 'Nothing heard yet. Once it has power: is the uplink cable in the uplink port, and is its light on? A unit that was used before must first be set back to factory state.';
	return null;
}

const FAILURE_ADVICE: readonly [RegExp, string][] = [
	[/hash|checksum/i, 'The download arrived damaged. Try again; if it happens twice, upload the image anew.'],
	[/space|full/i, 'There is no room for the image. Remove old images on the unit, then try again.'],
	[
		/\bline \d+/i,
		'The unit does not know a line of its configuration. Correct the profile or the value behind that line, then try again.'
	],
	[/download|connection|timed? ?out/i, 'The transfer broke off. Check the uplink, then try again.']
];

function failureAdvice({ kind, step, words }: Failure): string {
	if (kind === 'proof')
		return 'It took its configuration but does not run what was intended. Look at the differences; someone may have typed at the console. Then try again.';
	if (kind === 'withheld')
		return 'The unit called and is well; Limen could not compute what to give it. Put right what is named here, then try again.';
	const known = FAILURE_ADVICE.find(([pattern]) => pattern.test(words));
	if (known) return known[1];
	return step === 'identity'
		? 'The unit could not use what it was given. Check the model of the unit and the profile, then try again.'
		: 'Read the unit’s own words, put right what they name, then try again.';
}
