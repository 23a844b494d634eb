import type { Failure } from './run';
import type { RunStep } from './steps';

/** What a run failed with, as it is kept and told; null where it did not fail. */
export const failureOf = ({
	failureStep,
	failureKind,
	failureWords
}: {
	readonly failureStep: string | null;
	readonly failureKind: string | null;
	readonly failureWords: string | null;
}): Failure | null =>
	failureWords === null
		? null
		: {
				step: failureStep as Failure['step'],
				kind: failureKind as Failure['kind'],
				words: failureWords
			};

/** What keeps a unit that has stalled. */
const STALLED: Readonly<Record<string, string>> = {
	image:
		'It waits for an image that is not in the library any more. Upload the image, then let it try again.',
	connection:
		'It has lost its connection while it was being proven. Has it power, and is its uplink plugged in? It goes on by itself as soon as it is back.',
	calling:
		'It called and went no further. Have it switched off and on; if that does not help, set it back to factory state.',
	identity:
		'It was given what it needs and went no further. Have it switched off and on, then let it try again.',
	firmware:
		'Nearly all like it are done by now: it hangs while it changes its firmware. Have it switched off and on; if it stops there again, swap it.',
	configuration:
		'It hangs while it applies its configuration. Have it switched off and on, then let it try again.',
	proof:
		'It has its configuration and does not come home. Is its uplink plugged in, and may it get out to us?'
};

/** What to do next, in plain words, for the technician or whoever is at the unit. `stalled`: it hangs, for want of what. */
export function adviceFor(
	run: { readonly step: RunStep; readonly failure: Failure | null },
	refused: { readonly wrongCode: number },
	stalled: { readonly lacks: string | null } | null = null
): string | null {
	if (run.failure) return failureAdvice(run.failure);
	if (stalled) return STALLED[stalled.lacks ?? run.step] ?? null;
	if (run.step === 'bound')
		return refused.wrongCode > 0
			? 'It calls with another claim code than the one on record. Read the code on its label again and correct it.'
			: 'Nothing heard yet. Once it has power: is the uplink cable in the uplink port, and is its light on? A unit that was used before must first be set back to factory state.';
	return null;
}

const FAILURE_ADVICE: readonly [RegExp, string][] = [
	[/hash|checksum/i, 'The download arrived damaged. Try again; if it happens twice, upload the image again.'],
	[/space|full/i, 'There is no room for the image. Remove old images on the unit, then try again.'],
	[
		/\bline \d+/i,
		'The unit does not know a line of its configuration. Correct the profile or the value behind that line, then try again.'
	],
	[/download|connection|timed? ?out/i, 'The transfer broke off. Check the uplink, then try again.']
];

/** By how a proof’s words begin or what they name (`attempt`, `judgeProof`). */
const NOT_READ = /^(It could not be read|Another unit has taken its place)/;
const PROOF_ADVICE: readonly [RegExp, string][] = [
	[
		/^It could not be read/,
		'It is connected, and did not let itself be read: why stands above. Let it try again; if that happens twice, look at what was said to it.'
	],
	[
		/^Another unit has taken its place/,
		'Find out which box stands there. If it is to stay, unbind this one and bind that one; else have them changed back, then try again.'
	],
	[
		/does not hold|could not be asked/,
		'It runs its configuration; a check did not hold. The question and the unit’s answer are above. Put right what the check looks at, or the check in its profile, then try again.'
	],
	[
		/^It runs version/,
		'Its firmware is not its target. Change its firmware, or the target where that is wrong, then let it try again.'
	],
	[
		/^The running configuration cannot be read/,
		'What was read from it is no configuration as its maker’s pack knows it: the line is named above. Put the pack right, or whatever was typed at the unit, then try again.'
	],
	[
		/^The intended configuration cannot be read/,
		'What its profile makes cannot be read: the line is named above. Put the profile or its values right, then try again.'
	],
	[
		/(?:)/,
		'It runs something else than what was intended; the differences are above. Send it what it should run; or, if the plan is wrong, put the profile or its values right first.'
	]
];

function failureAdvice({ kind, step, words }: Failure): string {
	if (kind === 'proof') return PROOF_ADVICE.find(([pattern]) => pattern.test(words))![1];
	if (kind === 'withheld')
		return 'The unit called and is well; Limen could not compute what to give it. Put right what is named here, then try again.';
	const known = FAILURE_ADVICE.find(([pattern]) => pattern.test(words));
	if (known) return known[1];
	return step === 'identity'
		? 'The unit could not use what it was given. Check the model of the unit and the profile, then try again.'
		: 'Read the unit’s own words, put right what they name, then try again.';
}

/** How a proof's words begin when nothing else is wrong with a unit than what it runs (`judgeProof`). */
const ONLY_DIFFERS = /^The running configuration differs/;

/** The one thing that helps a run that needs a person, before it is let try again; null where trying again is it. */
export type Remedy =
	| { readonly kind: 'code' }
	| { readonly kind: 'value'; readonly field: string }
	| { readonly kind: 'line'; readonly line: number }
	| { readonly kind: 'check' }
	/** It runs something else than it should. */
	| { readonly kind: 'send' };

/**
 * What to lead a person to: the claim code that is wrong, the value that is missing, the line that the unit
 * refused, the check that did not hold. It is read from what the run ended with; words that name none of them
 * give null.
 */
export function remedyFor(
	run: { readonly step: RunStep; readonly failure: Failure | null },
	refused: { readonly wrongCode: number }
): Remedy | null {
	const { failure } = run;
	if (!failure) return run.step === 'bound' && refused.wrongCode > 0 ? { kind: 'code' } : null;
	if (failure.kind === 'withheld') {
		const field = /“([^”]+)”,? (?:which )?has no value/.exec(failure.words)?.[1];
		return field ? { kind: 'value', field } : null;
	}
	if (failure.kind === 'proof') {
		if (NOT_READ.test(failure.words)) return null;
		return { kind: ONLY_DIFFERS.test(failure.words) ? 'send' : 'check' };
	}
	const line = Number(/\bline (\d{1,6})/i.exec(failure.words)?.[1]);
	return line > 0 && failure.step === 'configuration' ? { kind: 'line', line } : null;
}
