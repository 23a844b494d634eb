import type { SightOutcome, SurveyedThing } from '$core/survey';
import type { Shown } from '../marks';

const SAID: Readonly<Record<SightOutcome, readonly [standing: Shown, word: string]>> = {
	in: ['through', 'lets in'],
	'not understood': ['moving', 'no pack knows it'],
	'no login': ['waiting', 'no login for it'],
	login: ['stuck', 'login refused'],
	'held back': ['waiting', 'login not tried again yet'],
	'host key': ['stuck', 'another host key'],
	'no ssh': ['stuck', 'no SSH'],
	'port closed': ['not-heard', 'port closed'],
	unreachable: ['not-heard', 'nobody answers'],
	'broke off': ['late', 'broke off'],
	outside: ['cancelled', 'outside of the ranges'],
	'not come to': ['cancelled', 'not come to']
};
/** Only its neighbours tell of it. */
const HEARD = ['open', 'only heard of'] as const;

export const outcomeShown = (outcome: SightOutcome | null): readonly [standing: Shown, word: string] =>
	outcome === null ? HEARD : SAID[outcome];

/** What a thing is, in a few words. */
export const whatItIs = (
	{ model, version, description }: SurveyedThing,
	nameOf: (model: string) => string
): string => (model ? `${nameOf(model)}${version ? `, ${version}` : ''}` : description);

/** How often a survey is done again. */
export const EVERY = { never: 'when somebody wants it', day: 'every day', week: 'every week' } as const;
