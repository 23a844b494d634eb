import type { ShownSecret } from './store';

const HEADINGS = ['customer', 'secret', 'kind', 'where', 'since', 'given by', 'to be renewed after days', 'to be renewed', 'standing', 'proved', 'proof', 'one before is kept', 'seen in the clear by'] as const; // prettier-ignore

/** What an auditor asks of each secret, as rows of a file. Times are UTC. */
export const secretRows = (all: readonly ShownSecret[]): string[][] => [
	[...HEADINGS],
	...all.map((one) => [
		one.customer,
		one.name,
		one.kind,
		one.place,
		one.since?.toISOString() ?? '',
		one.isMade ? 'Limen' : (one.byWhom ?? ''),
		one.days === null ? '' : String(one.days),
		one.due?.toISOString() ?? '',
		one.standing,
		one.provedAt?.toISOString() ?? '',
		one.proof,
		one.keepsOld ? 'yes' : 'no',
		[
			...(one.isMade || !one.byWhom ? [] : [`${one.byWhom} (typed it)`]),
			...one.seen.map(({ who, at }) => `${who} (${at})`)
		].join('; ')
	])
];
