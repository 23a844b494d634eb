import * as v from 'valibot';
import { FIGURES, figureWords, SLOT_MS, type Figure, type Point } from '../health';
import { SEVERITIES } from '../events';
import { counted } from '../text';

/** Figures that can be held against a limit. */
export const LIMITED = [
	'processor',
	'memory',
	'temperature',
	'signal',
	'clients',
	'trip',
	'received',
	'sent',
	'errors',
	'port',
	'tunnel'
] as const satisfies readonly Figure[];

const MOST_MINUTES = 24 * 60;
const minutes = v.pipe(
	v.number('How many minutes?'),
	v.integer('Whole minutes.'),
	v.minValue(1, 'At least a minute.'),
	v.maxValue(MOST_MINUTES, 'At most a day.')
);
const limit = v.pipe(v.number('Which limit?'), v.finite(), v.minValue(-1e12), v.maxValue(1e12));

/**
 * What a person should see. A figure past its limit for long enough, which ends once it is back past another limit, so that
 * it does not come and go (hysteresis); a unit that is not heard; how it stands, for long enough; and what units say with
 * certain words, so often.
 */
export const alertRuleSchema = v.variant('about', [
	v.pipe(
		v.strictObject({
			about: v.literal('figure'),
			figure: v.picklist(LIMITED, 'Choose a figure.'),
			side: v.picklist(['above', 'below'], 'Above or below?'),
			limit,
			/** It is over once the figure is there again. */
			back: limit,
			minutes
		}),
		v.forward(
			v.check(
				({ side, limit: past, back }) => (side === 'above' ? back <= past : back >= past),
				'It ends on the other side of the limit, or at it.'
			),
			['back']
		)
	),
	v.strictObject({ about: v.literal('not heard'), minutes }),
	/** A step of its onboarding takes longer than most like it. */
	v.strictObject({ about: v.literal('late'), minutes }),
	/** It runs something other than it should. */
	v.strictObject({ about: v.literal('drift'), minutes }),
	/** What a unit that did not come through yet needs for that ends: its voucher. */
	v.strictObject({
		about: v.literal('ending'),
		days: v.pipe(
			v.number('How many days?'),
			v.integer('Whole days.'),
			v.minValue(1, 'At least a day.'),
			v.maxValue(366, 'At most a year.')
		)
	}),
	v.strictObject({
		about: v.literal('said'),
		words: v.pipe(v.string(), v.trim(), v.maxLength(200, 'At most 200 characters.')),
		/** At least as severe as this, by RFC 5424. */
		severity: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(7)),
		times: v.pipe(v.number('How often?'), v.integer(), v.minValue(1, 'At least once.'), v.maxValue(1000)),
		minutes
	})
]);
export type AlertRule = Readonly<v.InferOutput<typeof alertRuleSchema>>;
export type FigureRule = Extract<AlertRule, { about: 'figure' }>;

const lasting = (given: number): string =>
	given % 60 === 0 ? counted(given / 60, 'hour') : counted(given, 'minute');

/** A rule as a sentence. */
export function ruleWords(rule: AlertRule): string {
	switch (rule.about) {
		case 'figure': {
			const { figure, side, limit: past, back } = rule;
			const until =
				back === past
					? ''
					: `, until it is ${side === 'above' ? 'no more than' : 'at least'} ${figureWords(figure, back)}`;
			return `${FIGURES[figure].words} ${side} ${figureWords(figure, past)} for ${lasting(rule.minutes)}${until}`;
		}
		case 'not heard':
			return `not heard for ${lasting(rule.minutes)}`;
		case 'late':
			return `late for ${lasting(rule.minutes)} in a step of its onboarding`;
		case 'drift':
			return `runs something other than it should for ${lasting(rule.minutes)}`;
		case 'ending':
			return `has a voucher that ends within ${counted(rule.days, 'day')}, and did not come through yet`;
		case 'said': {
			const grave =
				rule.severity === 7 ? 'anything' : `anything at least as grave as ${SEVERITIES[rule.severity]}`;
			return `says ${grave}${rule.words ? ` with “${rule.words}”` : ''}, ${counted(rule.times, 'time')} within ${lasting(rule.minutes)}`;
		}
	}
}

/** So many readings in a row a figure has to be past its limit. */
export const readingsOf = ({ minutes: given }: FigureRule): number =>
	Math.max(1, Math.ceil((given * 60_000) / SLOT_MS));

export const isPast = ({ side, limit: past }: FigureRule, value: number): boolean =>
	side === 'above' ? value > past : value < past;
export const isBack = ({ side, back }: FigureRule, value: number): boolean =>
	side === 'above' ? value <= back : value >= back;

export interface Episode {
	/** When it would have been told, in milliseconds. */
	readonly from: number;
	/** Null: it goes on. */
	readonly to: number | null;
}

/**
 * When a rule would have told of a series, whose points are so many milliseconds apart. Laws: episodes are in order and do
 * not touch; each begins when the figure has been past its limit for all of its time without a gap, and ends with the first
 * point that is back; what is not known neither begins nor ends one.
 */
export function episodes(rule: FigureRule, points: readonly Point[], apart = SLOT_MS): Episode[] {
	const needed = Math.max(1, Math.ceil((rule.minutes * 60_000) / apart));
	const found: Episode[] = [];
	let past = 0;
	let before: number | null = null;
	for (const { at, mean } of points) {
		const last = found.at(-1);
		const goesOn = last?.to === null;
		if (goesOn && isBack(rule, mean)) found[found.length - 1] = { from: last.from, to: at };
		const isJoined = before !== null && at - before <= apart * 1.5;
		past = isPast(rule, mean) ? (isJoined ? past : 0) + 1 : 0;
		if (!goesOn && past >= needed) found.push({ from: at, to: null });
		before = at;
	}
	return found;
}
