import { type CauseId, LAMPS, type Lamp } from '../../onboarding';
import {
	CAUSES,
	QUESTION_IDS,
	SEEN,
	UNKNOWN,
	USUAL_SHARES,
	type Cause,
	type QuestionId,
	type Seen
} from './causes';

/** What is known of a unit that does not come: what Limen sees, and what was answered so far. */
export interface Case {
	readonly seen: Seen;
	/** Which lights its model can show; none where its pack does not say. */
	readonly lamps: readonly Lamp[];
	/** How common each is with its model, by its pack; what is left out is as built in. */
	readonly usual?: Readonly<Partial<Record<CauseId, number>>>;
	/** How often each cause was it, where cases ended. They count beside the built-in shares. */
	readonly ended: Readonly<Record<string, number>>;
	readonly answers: readonly Answered[];
}
export interface Answered {
	readonly question: QuestionId;
	readonly answer: string;
}
export interface Suspect {
	readonly cause: Cause;
	/** 0 to 1. */
	readonly probability: number;
}

/** One answer in so many is wrong, whoever gives it. */
const WRONG = 0.1;
/** What Limen sees by itself is right but for this. */
const UNSEEN = 0.02;
/** The built-in shares weigh as much as so many cases that ended. */
const BUILT_IN_CASES = 50;

/** The answers that a question can have, without “I do not know”. */
export function answersOf(question: QuestionId, lamps: readonly Lamp[]): readonly string[] {
	if (question === 'lamp') return lamps.length === 0 ? [] : [...new Set<Lamp>(['off', ...lamps])];
	return Object.keys(USUAL_SHARES[question]);
}

/** How likely an answer is where a cause is it. A light that the model does not have shows as it looks for us. */
function likelihood(cause: Cause, question: QuestionId, answer: string, lamps: readonly Lamp[]): number {
	const answers = answersOf(question, lamps);
	const shares = cause.shows[question] ?? USUAL_SHARES[question];
	const shown = (one: string): number =>
		(shares[one] ?? 0) +
		(question === 'lamp' && one === 'seeking'
			? LAMPS.filter((lamp) => !answers.includes(lamp)).reduce((sum, lamp) => sum + (shares[lamp] ?? 0), 0)
			: 0);
	return (1 - WRONG) * shown(answer) + WRONG / answers.length;
}

/**
 * What it may be, the likeliest first: Bayes' rule over the causes, answers taken as independent of each other given the
 * cause. “I do not know” tells nothing. Laws: probabilities add up to 1; the order of answers does not matter.
 */
export function suspects({ seen, lamps, usual = {}, ended, answers }: Case): Suspect[] {
	const priorOf = ({ id, prior }: Cause) => usual[id] ?? prior;
	const all = CAUSES.reduce((sum, cause) => sum + priorOf(cause), 0);
	const weights = CAUSES.map((cause) => {
		let weight = (priorOf(cause) / all) * BUILT_IN_CASES + (ended[cause.id] ?? 0);
		weight *= cause.seen === seen ? 1 - UNSEEN : UNSEEN / (SEEN.length - 1);
		for (const { question, answer } of answers)
			if (answer !== UNKNOWN && answersOf(question, lamps).includes(answer))
				weight *= likelihood(cause, question, answer, lamps);
		return weight;
	});
	const sum = weights.reduce((all, one) => all + one, 0);
	return CAUSES.map((cause, index) => ({ cause, probability: weights[index]! / sum })).sort(
		(a, b) => b.probability - a.probability
	);
}

const entropy = (probabilities: readonly number[]): number =>
	probabilities.reduce((sum, p) => (p > 0 ? sum - p * Math.log2(p) : sum), 0);

/** So sure is sure enough. */
const SURE = 0.9;
export const MOST_QUESTIONS = 4;
/** What tells less than this, in bits, is not asked. */
const LEAST_GAIN = 0.05;

/**
 * The question that is expected to tell most (the largest gain of information); null when it is clear, or when none tells
 * anything, or enough were asked.
 */
export function nextQuestion(about: Case): QuestionId | null {
	const now = suspects(about);
	if (now[0]!.probability >= SURE || about.answers.length >= MOST_QUESTIONS) return null;
	const before = entropy(now.map(({ probability }) => probability));
	let best: { question: QuestionId; gain: number } | null = null;
	for (const question of QUESTION_IDS) {
		if (about.answers.some((one) => one.question === question)) continue;
		let after = 0;
		for (const answer of answersOf(question, about.lamps)) {
			const joint = now.map(
				({ cause, probability }) => probability * likelihood(cause, question, answer, about.lamps)
			);
			const share = joint.reduce((sum, one) => sum + one, 0);
			if (share > 0) after += share * entropy(joint.map((one) => one / share));
		}
		const gain = answersOf(question, about.lamps).length === 0 ? 0 : before - after;
		if (!best || gain > best.gain) best = { question, gain };
	}
	return best && best.gain >= LEAST_GAIN ? best.question : null;
}

/** What Limen sees of a run that does not go on. */
export function seenOf(run: {
	readonly step: string;
	readonly failureKind: string | null;
	readonly failureWords: string | null;
	readonly wrongCode: number;
}): Seen {
	const words = run.failureWords ?? '';
	if (run.failureKind === 'withheld') return 'withheld';
	if (run.failureKind !== null)
		return /hash|checksum/i.test(words)
			? 'damaged-image'
			: /space|full/i.test(words)
				? 'no-space'
				: /\bline \d+/i.test(words)
					? 'refused-line'
					: 'hangs';
	if (run.step === 'bound') return run.wrongCode > 0 ? 'wrong-code' : 'silent';
	return run.step === 'firmware'
		? 'hangs-at-firmware'
		: run.step === 'configuration'
			? 'hangs-at-configuration'
			: 'hangs';
}

/** What is asked of somebody at a unit that does not come, and what it may be, as pages show it. */
export interface Diagnosis {
	readonly runId: string;
	readonly answered: readonly { readonly words: string; readonly answer: string }[];
	/** What is asked next; null where it is clear, or nothing more would tell. */
	readonly question: {
		readonly id: QuestionId;
		readonly words: string;
		readonly answers: readonly { readonly value: string; readonly words: string }[];
	} | null;
	/** The likeliest first. */
	readonly suspects: readonly {
		readonly id: string;
		readonly words: string;
		readonly act: string;
		readonly plain: string;
		readonly probability: number;
	}[];
}
