/** IPv4 as the simulated network needs it. */
const number = (address: string): number =>
	address.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);

/** An address with its length, or a prefix. */
export interface Block {
	readonly address: number;
	readonly length: number;
}
export const blockOf = (text: string): Block => {
	const [address = '', length = '32'] = text.split('/');
	return { address: number(address), length: Number(length) };
};
const networkOf = ({ address, length }: Block): number => Math.floor(address / 2 ** (32 - length));

export const holds = (block: Block, address: string): boolean =>
	networkOf({ address: number(address), length: block.length }) === networkOf(block);
export const sameBlock = (a: string, b: string): boolean => {
	const [one, two] = [blockOf(a), blockOf(b)];
	return one.length === two.length && networkOf(one) === networkOf(two);
};
export const countBetween = (first: string, last: string): number => number(last) - number(first) + 1;
export const bare = (text: string): string => text.split('/')[0]!;
export const isAddress = (text: string): boolean => /^\d{1,3}(\.\d{1,3}){3}$/.test(text);
const PRIVATE = ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16', '100.64.0.0/10'].map(blockOf);
export const isPrivate = (address: string): boolean => PRIVATE.some((block) => holds(block, address));
/** The network of an address with its length, as a prefix. */
export const networkText = (text: string): string => {
	const block = blockOf(text);
	const base = networkOf(block) * 2 ** (32 - block.length);
	return `${[24, 16, 8, 0].map((shift) => Math.floor(base / 2 ** shift) % 256).join('.')}/${block.length}`;
};
