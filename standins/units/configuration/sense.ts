import { blockOf, countBetween, holds, networkText } from '../../network/addresses';
import type { Wiring } from './wiring';

/** What a router takes for impossible though each word of it is known; a manual says so under "Sense". */
export function firstSenseless({ lans }: Wiring): { readonly line: number; readonly message: string } | null {
	const inOrder = [...lans].sort((a, b) => a.lines.address - b.lines.address);
	const found = inOrder.flatMap(({ name, address, range, lines }, index) => {
		const block = blockOf(address);
		const twice = inOrder
			.slice(0, index)
			.find(
				(other) =>
					holds(blockOf(other.address), networkText(address).split('/')[0]!) ||
					holds(block, networkText(other.address).split('/')[0]!)
			);
		const isOutside =
			range !== null && (!range.every((end) => holds(block, end)) || countBetween(range[0], range[1]) < 1);
		return [
			...(twice
				? [{ line: lines.address, message: `${networkText(address)} is in use on ${twice.name}` }]
				: []),
			...(isOutside
				? [{ line: lines.range, message: `range is not within ${networkText(address)} of ${name}` }]
				: [])
		];
	});
	return found.sort((a, b) => a.line - b.line)[0] ?? null;
}
