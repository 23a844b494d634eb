import { Token } from 'liquidjs';

/** Where each line of a text begins. */
function lineStarts(text: string): readonly number[] {
	const starts = [0];
	for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
	return starts;
}

/** Which line an offset lies in, and where in it; both 1-based. */
export function placeFinder(text: string): (offset: number) => readonly [line: number, column: number] {
	const starts = lineStarts(text);
	return (offset) => {
		let [low, high] = [0, starts.length - 1];
		while (low < high) {
			const middle = (low + high + 1) >> 1;
			if (starts[middle]! <= offset) low = middle;
			else high = middle - 1;
		}
		return [low + 1, offset - starts[low]! + 1];
	};
}

/**
 * LiquidJS finds a token's line by counting from the beginning of the text, for every variable that it
 * analyses: the square of the text. The same answer by looking it up, for the text that was last asked of.
 */
let last: { readonly text: string; readonly placeOf: ReturnType<typeof placeFinder> } | null = null;
Token.prototype.getPosition = function (this: Token): [number, number] {
	if (last?.text !== this.input) last = { text: this.input, placeOf: placeFinder(this.input) };
	const [line, column] = last.placeOf(this.begin);
	return [line, column];
};
