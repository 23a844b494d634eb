import type { CauseId } from '../../onboarding';

/** What Limen sees of a unit by itself. */
export const SEEN = [
	'silent',
	'wrong-code',
	'damaged-image',
	'no-space',
	'refused-line',
	'withheld',
	'hangs-at-firmware',
	'hangs-at-configuration',
	'hangs'
] as const;
export type Seen = (typeof SEEN)[number];

/** What a person at the unit can be asked. The lights' answers are the model's own. */
export const QUESTIONS = {
	lamp: { words: 'What does its light do?', answers: {} },
	cable: {
		words: 'Where does the cable from outside go into the box?',
		answers: { right: 'Into {port}', another: 'Into another port', none: 'There is no cable in it' }
	},
	port: {
		words: 'Is there a small light at that port?',
		answers: { lit: 'Yes', dark: 'No' }
	},
	others: {
		words: 'Does a page open on another device on the same line (a laptop, a phone without mobile data)?',
		answers: { yes: 'Yes', no: 'No' }
	},
	used: {
		words: 'Has this box been in use before, here or elsewhere?',
		answers: { yes: 'Yes', no: 'No, it is new' }
	},
	stored: {
		words: 'Has it lain without power for half a year or longer?',
		answers: { yes: 'Yes', no: 'No' }
	},
	label: {
		words: 'Does the number on its label end with {ending}?',
		answers: { same: 'Yes', other: 'No, with something else' }
	}
} as const;
export type QuestionId = keyof typeof QUESTIONS;
export const QUESTION_IDS = Object.keys(QUESTIONS) as QuestionId[];
/** Anybody may not know. */
export const UNKNOWN = 'unknown';

type Shares = Readonly<Record<string, number>>;
/** A fault that keeps a unit from coming online: how common it is, what it looks like, and what helps. */
export interface Cause {
	readonly id: CauseId;
	/** How common it is among units that do not come, before anything is known of this one. */
	readonly prior: number;
	readonly seen: Seen;
	/** Of each question, the share of each answer where this is the cause; what is left out is as in most cases. */
	readonly shows: Readonly<Partial<Record<QuestionId, Shares>>>;
	readonly words: string;
	/** What we do, and what we ask of whoever is on site. */
	readonly act: string;
	readonly plain: string;
}

/** As it is answered where nothing speaks of the question. */
export const USUAL_SHARES: Readonly<Record<QuestionId, Shares>> = {
	lamp: { power: 0.15, seeking: 0.5, 'cut-off': 0.3, working: 0.05 },
	cable: { right: 0.92, another: 0.05, none: 0.03 },
	port: { lit: 0.93, dark: 0.07 },
	others: { yes: 0.9, no: 0.1 },
	used: { yes: 0.07, no: 0.93 },
	stored: { yes: 0.1, no: 0.9 },
	label: { same: 0.97, other: 0.03 }
};

const CUT_OFF: Shares = { 'cut-off': 0.88, seeking: 0.08, power: 0.04 };
const SEEKING: Shares = { seeking: 0.86, power: 0.08, 'cut-off': 0.06 };
const DARK: Shares = { dark: 0.93, lit: 0.07 };

/** The built-in faults. A pack may say how common each is for a model; how cases ended counts with that. */
export const CAUSES: readonly Cause[] = [
	{
		id: 'no-power', prior: 20, seen: 'silent',
		shows: { lamp: { off: 0.96, power: 0.04 }, port: { dark: 0.95, lit: 0.05 }, cable: { right: 0.8, another: 0.08, none: 0.12 } },
		words: 'It has no power',
		act: 'Have its power cable, the socket and, where it is fed through its cable, the other end looked at.',
		plain: 'Is its power plug in, at the box and at the wall? Try another socket. A box without a power plug gets its power through its cable: is the other end in the port that the card shows?'
	},
	{
		id: 'no-cable', prior: 8, seen: 'silent',
		shows: { lamp: CUT_OFF, cable: { none: 0.93, another: 0.07 }, port: DARK },
		words: 'No cable leads outside',
		act: 'Have the cable from outside plugged into its uplink port.',
		plain: 'Plug the cable that comes from outside into the port that the card shows, until it clicks.'
	},
	{
		id: 'wrong-port', prior: 15, seen: 'silent',
		shows: { lamp: CUT_OFF, cable: { another: 0.92, right: 0.08 }, port: { dark: 0.75, lit: 0.25 } },
		words: 'The cable from outside is in another port',
		act: 'Have the cable from outside moved to its uplink port.',
		plain: 'Pull the cable that comes from outside, and plug it into the port that the card shows.'
	},
	{
		id: 'line-down', prior: 7, seen: 'silent',
		shows: { lamp: CUT_OFF, port: { dark: 0.9, lit: 0.1 }, others: { no: 0.95, yes: 0.05 } },
		words: 'The line itself is down',
		act: 'Report the line to its provider.',
		plain: 'The line to your building does not work. We report it; there is nothing that you can do.'
	},
	{
		id: 'no-lease', prior: 8, seen: 'silent',
		shows: { lamp: CUT_OFF, others: { no: 0.8, yes: 0.2 } },
		words: 'It gets no address from the line',
		act: 'Have whatever the line ends in switched off and on; else ask the provider why no address is given.',
		plain: 'Switch the provider’s own box off, wait a minute, and switch it on again.'
	},
	{
		id: 'no-name', prior: 5, seen: 'silent',
		shows: { lamp: SEEKING, others: { no: 0.85, yes: 0.15 } },
		words: 'Names are not resolved there',
		act: 'Ask the provider about its name servers.',
		plain: 'Switch the provider’s own box off, wait a minute, and switch it on again.'
	},
	{
		id: 'wrong-clock', prior: 5, seen: 'silent',
		shows: { lamp: SEEKING, stored: { yes: 0.85, no: 0.15 } },
		words: 'Its clock is wrong, and it trusts no certificate',
		act: 'Have time service (port 123) let through at the site; set its clock at the console where that cannot be.',
		plain: 'Leave it on: it needs the right time first. We look after the rest.'
	},
	{
		id: 'used-before', prior: 7, seen: 'silent',
		shows: { lamp: { seeking: 0.4, working: 0.45, power: 0.15 }, used: { yes: 0.92, no: 0.08 } },
		words: 'It was in use before, and is not as from the factory',
		act: 'Have it set back to factory state.',
		plain: 'Press its reset button for ten seconds with something thin, until its light goes out, and wait.'
	},
	{
		id: 'wrong-box', prior: 5, seen: 'silent',
		shows: { label: { other: 0.95, same: 0.05 } },
		words: 'Another box stands there',
		act: 'Bind the box that stands there, by the number on its label.',
		plain: 'Read us the number on its label: another box was meant for this place.'
	},
	{
		id: 'wrong-code', prior: 10, seen: 'wrong-code', shows: { lamp: SEEKING },
		words: 'It calls with another claim code than the one on record',
		act: 'Read the code on its label again, and correct it.',
		plain: 'Read us the code on its label.'
	},
	{
		id: 'damaged-image', prior: 3, seen: 'damaged-image', shows: { lamp: { seeking: 0.7, loading: 0.3 } },
		words: 'Its download arrived damaged',
		act: 'Let it try again; if that happens twice, upload the image again.',
		plain: 'Leave it on. It tries again.'
	},
	{
		id: 'no-space', prior: 2, seen: 'no-space', shows: { lamp: { seeking: 0.7, loading: 0.3 } },
		words: 'There is no room for its image',
		act: 'Have old images removed on it, then let it try again.',
		plain: 'Leave it on. We look after it.'
	},
	{
		id: 'worn-flash', prior: 1, seen: 'hangs-at-firmware', shows: { lamp: { loading: 0.95, seeking: 0.05 } },
		words: 'It hangs while it writes its firmware',
		act: 'Have it switched off and on; if it stops there again, swap it.',
		plain: 'Pull its power plug, count to ten, and plug it in again.'
	},
	{
		id: 'refused-line', prior: 4, seen: 'refused-line', shows: { lamp: SEEKING },
		words: 'It does not know a line of its configuration',
		act: 'Put right the part or the value behind that line, then let it try again.',
		plain: 'Leave it on. We look after it.'
	},
	{
		id: 'withheld', prior: 3, seen: 'withheld', shows: { lamp: SEEKING },
		words: 'What it should get could not be computed',
		act: 'Give the value that is missing, then let it try again.',
		plain: 'Leave it on. We look after it.'
	},
	{
		id: 'lost-power', prior: 3, seen: 'hangs-at-configuration', shows: { lamp: { off: 0.55, seeking: 0.35, power: 0.1 } },
		words: 'It lost its power in the middle',
		act: 'Have its power looked at; it begins again by itself.',
		plain: 'Is its power plug in? Plug it in, and leave it alone until its light stays still.'
	},
	{
		id: 'lost-line', prior: 2, seen: 'hangs',
		shows: { lamp: { seeking: 0.5, 'cut-off': 0.5 }, others: { no: 0.8, yes: 0.2 } },
		words: 'It was heard, and lost the line again',
		act: 'Have the line and its cable looked at.',
		plain: 'Is the cable from outside in its port? Leave it on: it goes on as soon as the line is back.'
	}
]; // prettier-ignore
