import { LiquidError } from 'liquidjs';

/** What is wrong with a text, a formula or what they compute from. */
export interface TextProblem {
	readonly kind: 'missing' | 'broken' | 'limit' | 'invalid';
	readonly message: string;
	/** 1-based place in the text; null when it has none. */
	readonly line: number | null;
	readonly column: number | null;
	/** The field it is about, for `missing`. */
	readonly field: string | null;
}

/** What engines call “Maximum call stack size exceeded” or “Invalid string length”. */
const TOO_MUCH: TextProblem = {
	kind: 'limit',
	message: 'The text is nested too deep, or makes too much of something.',
	line: null,
	column: null,
	field: null
};

/** More than the language allows. */
export class TooLarge extends Error {}

/** What a filter says of a value that it cannot work on. */
export class Unfit extends Error {}

/** The name that had no value; null when the error is another. */
export function missingName(error: unknown): string | null {
	if (!LiquidError.is(error) || error.name !== 'UndefinedVariableError') return null;
	return (error.originalError as { variableName?: string } | undefined)?.variableName ?? null;
}

/** Whatever a text made the language throw, as a problem in words for whoever wrote it. */
export function problemOf(error: unknown): TextProblem {
	if (error instanceof TooLarge)
		return { kind: 'limit', message: error.message, line: null, column: null, field: null };
	if (error instanceof Unfit)
		return { kind: 'invalid', message: error.message, line: null, column: null, field: null };
	// Outside of a template, as in a formula, LiquidJS names no place for what went over a limit
	if (error instanceof Error && error.name === 'AssertionError' && /limit exceeded/.test(error.message))
		return { kind: 'limit', message: error.message, line: null, column: null, field: null };
	if (error instanceof RangeError) return TOO_MUCH;
	if (!LiquidError.is(error))
		return {
			...TOO_MUCH,
			kind: 'broken',
			message: `This text cannot be worked on: ${(error as Error).message}`
		};
	const { originalError } = error;
	if (originalError instanceof TooLarge || originalError instanceof RangeError)
		return problemOf(originalError);
	const [line = null, column = null] = error.token?.getPosition() ?? [];
	const field = missingName(error);
	if (field !== null) return { kind: 'missing', message: `“${field}” has no value.`, line, column, field };
	// The position is told apart from the words
	const message = error.message
		.replace(/, line:\d+, col:\d+$/, '')
		.replace(/^ENOENT: .*/, 'Other files cannot be drawn in here.');
	const kind = /limit exceeded/.test(message) ? 'limit' : error.name === 'RenderError' ? 'invalid' : 'broken';
	return { kind, message, line, column, field: null };
}

/** Whether it is that a rendering took too long. */
export const isOverTime = ({ kind, message }: { readonly kind: string; readonly message: string }): boolean =>
	kind === 'limit' && /render limit/.test(message);
