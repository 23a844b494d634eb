/** A count with the words that agree with it, the thousands apart: “1 site”, “2,000 sites”. Many get an “s” unless said otherwise. */
export const counted = (count: number, one: string, many = `${one}s`): string =>
	`${count.toLocaleString('en')} ${count === 1 ? one : many}`;
