/** How one thing stands: as it should, soon not, or not. */
export type State = 'well' | 'watch' | 'wrong';
export interface Finding {
	readonly what: string;
	readonly state: State;
	/** One sentence. */
	readonly words: string;
	/** What to do about it; empty where nothing is to be done. */
	readonly todo: string;
}
export const well = (what: string, words: string): Finding => ({ what, state: 'well', words, todo: '' });
export const watch = (what: string, words: string, todo: string): Finding => ({
	what,
	state: 'watch',
	words,
	todo
});
export const wrong = (what: string, words: string, todo: string): Finding => ({
	what,
	state: 'wrong',
	words,
	todo
});

/** What somebody asks for, within so long; rejects with words. */
export async function within<Result>(milliseconds: number, asked: Promise<Result>): Promise<Result> {
	let timer: NodeJS.Timeout | undefined;
	const late = new Promise<never>((_, reject) => {
		timer = setTimeout(() => reject(new Error(`no answer within ${milliseconds / 1000} s`)), milliseconds);
	});
	try {
		return await Promise.race([asked, late]);
	} finally {
		clearTimeout(timer);
	}
}
export const wordsOf = (error: unknown): string =>
	(error instanceof Error
		? error.message || (error as NodeJS.ErrnoException).code || error.name
		: String(error)
	).split('\n')[0]!;
