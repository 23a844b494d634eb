import { parseConfig, type Dialect, type DialectRules } from '../config';
import { groupAlike } from './learn/alike';
import { recogniseModel, type ModelWords } from './recognise';

/** A configuration that is to be learnt from, with the model that it is of, if that is known. */
export interface Collected {
	readonly id: string;
	readonly text: string;
	readonly modelId: string | null;
}
export interface Grouped {
	/** The alike ones, largest group first. */
	readonly groups: readonly {
		readonly dialect: Dialect;
		readonly rules: DialectRules;
		readonly units: readonly string[];
	}[];
	/** Which model each was taken for. */
	readonly models: Readonly<Record<string, string>>;
	/** What nobody can read, with why: it stays as text. */
	readonly unread: Readonly<Record<string, string>>;
}

const NO_MODEL = 'No model that Limen knows understands it. It is kept as text.';

/** Finds out which model each is of where nobody said, and puts those of one dialect that are alike together. */
export function groupCollected(
	collected: readonly Collected[],
	models: readonly (ModelWords & { readonly rules: DialectRules })[]
): Grouped {
	const known = new Map(models.map((model) => [model.id, model]));
	const found: Record<string, string> = {};
	const unread: Record<string, string> = {};
	const shapes = collected.flatMap(({ id, text, modelId }) => {
		const of = modelId ?? recogniseModel(text, models);
		const model = of === null ? undefined : known.get(of);
		if (!model) {
			unread[id] = NO_MODEL;
			return [];
		}
		found[id] = model.id;
		const reading = parseConfig(text, model.dialect, model.rules);
		if (reading.ok)
			return [{ id, kind: `${model.dialect} ${JSON.stringify(model.rules)}`, tree: reading.tree }];
		unread[id] = `Line ${reading.problems[0]!.line}: ${reading.problems[0]!.message}`;
		return [];
	});
	return {
		groups: groupAlike(shapes).map((units) => {
			const { dialect, rules } = known.get(found[units[0]!]!)!;
			return { dialect, rules, units };
		}),
		models: found,
		unread
	};
}
