import * as v from 'valibot';
import { STANCES, type Stance } from '../stance';
import type { Span } from '../windows';
import { commonSpans, courseOf, USUAL_LIMITS, type Course, type Item } from './course';
import { chanceOfMissing, MOST_ALLOWED, type StopRule } from './stop';
import { wavesOf, type WaveRule } from './waves';

/** What a rollout does at each unit. */
export type RolloutKind = 'firmware' | 'due' | 'restore' | 'restart' | 'secret' | 'stance';
/** Whether it brings units a configuration that people may read beforehand. */
export const bringsConfiguration = (kind: RolloutKind): boolean => kind === 'due' || kind === 'restore';

const whole = (least: number, most: number) =>
	v.pipe(
		v.number('A whole number.'),
		v.integer('A whole number.'),
		v.minValue(least, `At least ${least}.`),
		v.maxValue(most, `At most ${most}.`)
	);

/** What somebody decides before a rollout begins. */
export const rolloutRulesSchema = v.object({
	limits: v.object({
		all: whole(1, 2_000),
		perCustomer: whole(1, 2_000),
		perSite: whole(1, 100),
		frontsLast: v.boolean()
	}),
	waves: v.object({
		growth: v.pipe(v.number('A number.'), v.minValue(1, 'At least 1.'), v.maxValue(100, 'At most 100.')),
		sizes: v.nullable(v.pipe(v.array(whole(1, 100_000)), v.minLength(1), v.maxLength(12)))
	}),
	stop: v.object({
		allowed: v.pipe(
			v.number('A share.'),
			v.minValue(0.005, 'At least 0.5 %.'),
			v.maxValue(MOST_ALLOWED, 'At most 50 %.')
		),
		byModel: v.boolean()
	})
});
export type RolloutRules = v.InferOutput<typeof rolloutRulesSchema>;
export const USUAL_RULES: RolloutRules = {
	limits: USUAL_LIMITS,
	waves: { growth: 4, sizes: null } satisfies WaveRule,
	stop: { allowed: 0.05, byModel: true } satisfies StopRule
};

/** What a plan is computed from, as it goes to a page and to a worker: units, whose sites share windows. */
export interface PlanInputs {
	readonly items: readonly Omit<Item, 'apart'>[];
	/** By site, which of the windows is its own. */
	readonly windowOf: Readonly<Record<string, number>>;
	readonly windows: readonly (readonly Span[])[];
	/** Pairs of units at the two ends of a path. */
	readonly apart: readonly (readonly [string, string])[];
	/** What else is changed together with a unit: another one, at which site. */
	readonly together: readonly {
		readonly unitId: string;
		readonly other: string;
		readonly siteId: string;
	}[];
}
export interface RolloutPlan {
	/** The ids of the units, wave by wave. */
	readonly waves: readonly (readonly string[])[];
	readonly course: Course;
	/** How likely it is that twice the allowed share fails and nothing stops it. */
	readonly missing: number;
}

/** The waves and the course that follow from the rules, when it began at `now`. */
export function planOf(
	{ items, windowOf, windows, apart, together }: PlanInputs,
	rules: RolloutRules,
	now: number
): RolloutPlan {
	const beside = new Map<string, Set<string>>();
	for (const [one, other] of apart)
		for (const [a, b] of [
			[one, other],
			[other, one]
		] as const) {
			const set = beside.get(a);
			if (set) set.add(b);
			else beside.set(a, new Set([b]));
		}
	const spansOf = (siteId: string): readonly Span[] => windows[windowOf[siteId] ?? -1] ?? [];
	const others = new Map<string, PlanInputs['together'][number][]>();
	for (const one of together) {
		const known = others.get(one.unitId);
		if (known) known.push(one);
		else others.set(one.unitId, [one]);
	}
	const waves = wavesOf(
		items.map((item): Item => {
			const own = others.get(item.id);
			return {
				...item,
				apart: beside.get(item.id),
				...(own && {
					with: own.map(({ other }) => other),
					spans: own.reduce((spans, { siteId }) => commonSpans(spans, spansOf(siteId)), spansOf(item.siteId))
				})
			};
		}),
		rules.waves
	);
	return {
		waves: waves.map((wave) => wave.map(({ id }) => id)),
		course: courseOf(waves, spansOf, rules.limits, now),
		missing: chanceOfMissing(Math.min(items.length, MOST_WEIGHED), {
			...rules.stop,
			models: new Set(items.map(({ model }) => model)).size
		})
	};
}
/** Of larger rollouts the chance is nothing long before. */
const MOST_WEIGHED = 2_000;

export type RolloutState = 'planned' | 'under way' | 'paused' | 'stopped' | 'ended';
export const ITEM_STATES = ['waiting', 'under way', 'done', 'failed', 'left out'] as const;
export type ItemState = (typeof ITEM_STATES)[number];

const KIND_WORDS: Readonly<Record<RolloutKind, readonly [title: string, done: string]>> = {
	firmware: ['Firmware', 'brought to another firmware'],
	due: ['Send what is due', 'sent what is due'],
	restore: ['Go back', 'brought back to what it ran before'],
	restart: ['Restart', 'restarted'],
	secret: ['Renew secrets', 'given new secrets'],
	stance: ['Watch or hold', 'watched or held']
};
export const kindTitle = (kind: RolloutKind): string => KIND_WORDS[kind][0];
/** What people choose from when they plan one for units of their choice: kinds, and the stances. */
export const CHOICES = [
	{ value: 'due', name: 'what is due' },
	{ value: 'firmware', name: 'firmware' },
	{ value: 'restart', name: 'restart' },
	...STANCES.toReversed().map((value) => ({ value, name: value }))
] as const;
export type Choice = (typeof CHOICES)[number]['value'];
export const choiceSchema = v.picklist(
	CHOICES.map(({ value }) => value),
	'What is to be done?'
);
/** What a choice comes to. */
export const chosenKind = (choice: Choice) =>
	isStance(choice) ? ({ kind: 'stance', wanted: choice } as const) : ({ kind: choice } as const);
const isStance = (choice: Choice): choice is Stance => (STANCES as readonly string[]).includes(choice);

/** Whether it interrupts a unit: what does not needs no window and no connection. */
export const interrupts = (kind: RolloutKind): boolean => kind !== 'stance';
export const kindDone = (kind: RolloutKind): string => KIND_WORDS[kind][1];
