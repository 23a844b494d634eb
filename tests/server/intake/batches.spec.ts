import { expect } from 'chai';
import fc from 'fast-check';
import { rowsIn, toMendIn } from '../../../src/core/intake';
import {
	askAgainFor,
	batchById,
	claimBatch,
	countsOf,
	dropRefused,
	dropRow
} from '../../../src/lib/server/intake';
import { batchById as batchForPrograms } from '../../../src/lib/server/api';
import { ACTOR, customerId, lineOf, newLabel, newUnit, unwalled } from '../making';

/** What can happen to a batch, in any order. */
type Happening =
	| { readonly kind: 'paste'; readonly rows: readonly ('good' | 'bad' | 'ours' | 'twice')[] }
	| {
			readonly kind: 'mend' | 'drop' | 'refuse' | 'confirm' | 'again' | 'give up' | 'ask';
			readonly at: number;
	  };

const happening: fc.Arbitrary<Happening> = fc.oneof(
	fc.record({
		kind: fc.constant('paste' as const),
		rows: fc.array(fc.constantFrom('good' as const, 'bad' as const, 'ours' as const, 'twice' as const), {
			minLength: 1,
			maxLength: 4
		})
	}),
	fc.record({
		kind: fc.constantFrom(
			'mend' as const,
			'drop' as const,
			'refuse' as const,
			'confirm' as const,
			'again' as const,
			'give up' as const,
			'ask' as const
		),
		at: fc.nat(7)
	})
);

describe('what came of a batch', () => {
	it('adds up to its rows, whatever happens to them in whatever order @long', async () => {
		const customer = await customerId();
		const ours = await newUnit();
		const line = (kind: 'good' | 'bad' | 'ours' | 'twice', before: string) =>
			kind === 'good'
				? lineOf(newLabel())
				: kind === 'ours'
					? lineOf(ours)
					: kind === 'twice' && before
						? before
						: 'rubbish';
		const textOf = (rows: readonly ('good' | 'bad' | 'ours' | 'twice')[]) => {
			const lines: string[] = [];
			for (const kind of rows) lines.push(line(kind, lines.at(-1) ?? ''));
			return lines.join('\n');
		};
		await fc.assert(
			fc.asyncProperty(
				fc.array(fc.constantFrom('good' as const, 'bad' as const, 'ours' as const, 'twice' as const), {
					minLength: 1,
					maxLength: 8
				}),
				fc.array(happening, { maxLength: 10 }),
				async (first, happenings) => {
					const act = await claimBatch(customer, textOf(first), ACTOR);
					if (!act.ok) throw new Error(act.problem);
					const { batchId } = act.done;
					let expected = first.length;
					const check = async () => {
						const counts = (await countsOf([batchId])).get(batchId)!;
						const batch = (await batchById(batchId, true))!;
						expect(rowsIn(counts)).to.equal(batch.lines.length).and.to.equal(expected);
						expect(batch.counts).to.deep.equal(counts);
						for (const count of Object.values(counts)) expect(count).to.be.at.least(0);
						expect(
							batch.lines.filter(({ raw, verdict }) => raw !== null || verdict === 'registry-refused')
						).to.have.lengthOf(toMendIn(counts));
						expect(new Set(batch.lines.map(({ line }) => line)).size, 'lines are told apart').to.equal(
							expected
						);
						const told = (await batchForPrograms(batchId))!;
						expect(Object.values(told.counts).reduce((a, b) => a + b)).to.equal(expected);
						expect(told.counts.claimed).to.equal(counts.claimed + counts.asked);
						expect(told.counts.refused).to.equal(counts.refused + counts['registry-refused']);
					};
					await check();
					for (const one of happenings) {
						const batch = (await batchById(batchId, true))!;
						const open = batch.lines.filter(({ raw }) => raw !== null);
						const units = batch.lines.filter(({ unitId }) => unitId !== null);
						if (one.kind === 'paste') {
							if (open.length === 0) continue;
							// All that was handed back comes again, perhaps as more or fewer rows
							const again = await claimBatch(customer, textOf(one.rows), ACTOR, {
								mending: { batchId, ordinal: null }
							});
							expect(again.ok).to.equal(true);
							expected += one.rows.length - open.length;
						} else if (one.kind === 'mend') {
							const row = open[one.at % open.length];
							if (row)
								await claimBatch(customer, lineOf(newLabel()), ACTOR, {
									mending: { batchId, ordinal: row.ordinal! }
								});
						} else if (one.kind === 'drop') {
							const row = open[one.at % open.length];
							if (row && (await dropRow(customer, batchId, row.ordinal!, ACTOR)).ok) expected--;
						} else if (one.kind === 'again') {
							const row = open[one.at % open.length];
							if (row)
								await claimBatch(customer, 'rubbish', ACTOR, {
									mending: { batchId, ordinal: row.ordinal! }
								});
						} else {
							const unit = units[one.at % units.length];
							if (!unit) continue;
							const answer = { refuse: 'refused', confirm: 'confirmed', ask: 'asked', 'give up': 'refused' }[
								one.kind
							];
							await unwalled()('unit')
								.where({ id: unit.unitId })
								.update({
									ownership: answer,
									ownership_words: answer === 'refused' ? 'of another account' : ''
								});
							if (one.kind === 'give up' && (await dropRefused(unit.unitId!, ACTOR)).ok) expected--;
							if (one.kind === 'refuse' && one.at > 4) await askAgainFor(unit.unitId!, 'ABCD-EFGH', ACTOR);
						}
						if (expected === 0) return;
						await check();
					}
				}
			),
			{ numRuns: 25 }
		);
	});
});
