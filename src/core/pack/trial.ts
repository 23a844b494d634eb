import { comparable, NO_RULES, parseConfig, printConfig, rejectedLines, type ConfigProblem } from '../config';
import type { Groups } from '../pattern';
import { readAnswer } from './answer';
import { askKind, type Ask } from './asks';
import type { Pack } from './schema';

/** What a pack makes of something that a device printed. */
export type Trial =
	| { readonly ok: false; readonly problem: string }
	| { readonly ok: true; readonly names: readonly string[]; readonly rows: readonly Groups[] }
	| {
			readonly ok: true;
			/** The configuration as it is compared: without what only stands around it or changes by itself. */
			readonly configuration: string;
			readonly lines: number;
			readonly leftOut: number;
			/** Lines that the grammar of this firmware does not know; null when the pack has no grammar for it. */
			readonly strange: readonly ConfigProblem[] | null;
	  };

/** What a model's pack reads out of what was printed when its unit was asked; a problem in words when it reads nothing. */
export function tryPack(pack: Pack, modelId: string, ask: Ask, printed: string): Trial {
	const model = pack.models.find(({ id }) => id === modelId);
	if (!model) return { ok: false, problem: 'There is no such model in this pack.' };
	const answer = readAnswer(pack.talks[model.talk]!, ask, printed);
	if (!answer.ok) return answer;
	if (!askKind(ask).whole) {
		const named = new Set(answer.rows.flatMap((row) => Object.keys(row)));
		const { gives, may = [] } = askKind(ask);
		return { ok: true, names: [...gives, ...may].filter((name) => named.has(name)), rows: answer.rows };
	}
	const rules = pack.dialects[model.dialect] ?? NO_RULES;
	const reading = parseConfig(answer.text, model.dialect, rules);
	if (!reading.ok) {
		const { line, message } = reading.problems[0]!;
		return { ok: false, problem: `As ${model.dialect} dialect it cannot be read: line ${line}: ${message}` };
	}
	const lines = answer.text.split('\n').filter((line) => line.trim() !== '').length;
	const configuration = printConfig(comparable(reading.tree, rules), model.dialect);
	const { grammar } = pack.firmware[model.firmware]!;
	return {
		ok: true,
		configuration,
		lines,
		leftOut: Math.max(0, lines - configuration.split('\n').filter((line) => line !== '').length),
		strange: grammar ? rejectedLines(reading.tree, grammar) : null
	};
}
