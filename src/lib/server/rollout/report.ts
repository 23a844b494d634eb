import { timeNow } from '../database';
import { chanceOfMissing, kindDone, kindTitle, type Rollout, type RolloutItem } from '../../../core/rollout';
import type { ReportDocument } from '../../../core/report';
import { counted } from '../../../core/text';
import { failedAlike, itemsOfRollout, wavesOfRollout } from './store';

/** In a document no more are named one by one; a file has all of them. */
const MOST_NAMED = 2_000;
const HEADINGS = ['wave', 'customer', 'site', 'position', 'serial number', 'model', 'from', 'to', 'outcome', 'words', 'begun', 'ended'] as const; // prettier-ignore

/** What became of each unit, as rows of a file. */
export const rolloutRows = (items: readonly RolloutItem[]): string[][] => [
	[...HEADINGS],
	...items.map((one) => [
		one.wave === null ? '' : String(one.wave + 1),
		one.customer,
		one.siteName,
		one.positionName,
		one.serial,
		one.model,
		one.from,
		one.to ?? '',
		one.state,
		one.words,
		one.begunAt === null ? '' : new Date(one.begunAt).toISOString(),
		one.endedAt === null ? '' : new Date(one.endedAt).toISOString()
	])
];

/** A rollout as a document: who, what, when, what came of it, and what was proved. Times are UTC. */
export async function rolloutDocument(rollout: Rollout): Promise<ReportDocument> {
	const [waves, items, alike] = await Promise.all([
		wavesOfRollout(rollout.id),
		itemsOfRollout(rollout.id, { limit: MOST_NAMED }),
		failedAlike(rollout.id)
	]);
	const said = (at: Date | number | null) =>
		at === null
			? ''
			: `${new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' }).format(at)} UTC`;
	const customers = [...new Set(items.map(({ customer }) => customer))];
	const ended = rollout.done + rollout.failed;
	const { rules } = rollout;
	const models = new Set(items.map(({ model }) => model)).size;
	return {
		customer: customers.length === 1 ? customers[0]! : counted(customers.length, 'customer'),
		title: rollout.title,
		subtitle: `${kindTitle(rollout.kind)}, ${counted(rollout.total, 'unit')}`,
		foot: `Made ${said(timeNow())}`,
		blocks: [
			{
				kind: 'facts',
				title: 'In short',
				facts: [
					{
						name: 'What',
						value: `${counted(rollout.total, 'unit')} ${rollout.total === 1 ? 'was' : 'were'} to be ${kindDone(rollout.kind)}`
					},
					{ name: 'Begun by', value: `${rollout.actor}${rollout.reason ? `: ${rollout.reason}` : ''}` },
					{ name: 'Begun', value: said(rollout.begunAt) },
					{ name: 'Over', value: said(rollout.endedAt) || 'not yet' },
					{ name: 'Done', value: String(rollout.done) },
					{ name: 'Failed', value: String(rollout.failed) },
					{ name: 'Left out', value: String(rollout.leftOut) },
					...(rollout.words ? [{ name: 'Said at the end', value: rollout.words }] : [])
				]
			},
			{
				kind: 'table',
				title: 'Wave by wave',
				columns: ['Wave', 'Units', 'Done', 'Failed', 'Left out', 'Begun', 'Over'],
				rows: waves.map((one) => [
					String(one.wave + 1),
					String(one.total),
					String(one.done),
					String(one.failed),
					String(one.leftOut),
					said(one.begunAt),
					said(one.endedAt)
				]),
				otherwise: 'It has not begun.'
			},
			{
				kind: 'table',
				title: 'What failed, the same together',
				columns: ['Units', 'Model', 'What they said'],
				rows: alike.map(({ units, model, words }) => [String(units), model, words]),
				otherwise: 'Nothing failed.'
			},
			{
				kind: 'table',
				title: 'Unit by unit',
				columns: ['Where', 'Unit', 'Model', 'From', 'To', 'Outcome', 'Ended'],
				rows: items.map((one) => [
					`${one.siteName}, ${one.positionName}`,
					one.serial,
					one.model,
					one.from,
					one.to ?? '',
					one.words ? `${one.state}: ${one.words}` : one.state,
					said(one.endedAt)
				]),
				otherwise: 'No unit.',
				mono: [1, 3, 4]
			},
			{
				kind: 'text',
				title: 'What this says',
				lines: [
					'A unit counts as done only once it came back over a new connection and was asked: with the firmware that was wanted, or running what was sent.',
					...(rules
						? [
								`At most ${rules.stop.allowed * 100} % were allowed to fail. If twice that had failed, a rollout of ${counted(ended, 'unit')} that ended would have missed it ${(chanceOfMissing(Math.min(ended, MOST_NAMED), { ...rules.stop, models }) * 100).toFixed(1)} % of the time.`
							]
						: []),
					...(items.length < rollout.total
						? [`The first ${items.length} units are named; the file has all of them.`]
						: [])
				]
			}
		]
	};
}
