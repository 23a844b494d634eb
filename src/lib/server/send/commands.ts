import { NO_RULES } from '../../../core/config';
import type { SendRule } from '../../../core/pack';
import { waysKept, type ChangeWords, type Commands, type commandsWithin } from '../../../core/send';
import { pathNames, type RenderingSource } from '../profile';
import { offMainThread, task } from '../threads';

const COMMANDS = task<Parameters<typeof commandsWithin>[0], Commands>('commandsWithin');

/**
 * What is said to bring a unit from one configuration to another; null where its maker has the whole replaced. Worked
 * beside the main thread.
 */
export const commandsAt = async (
	source: RenderingSource,
	{ change }: SendRule,
	two: { readonly intended: string; readonly running: string }
): Promise<Commands | null> => {
	const { model } = source;
	if (!change || !model) return null;
	return offMainThread(COMMANDS, {
		two: { ...two, dialect: model.dialect, rules: { ...NO_RULES, ...model.rules } },
		words: change satisfies ChangeWords,
		way: waysKept(model.grammar ?? null, pathNames(source))
	});
};
