import { expect } from 'chai';
import { LARGEST_TEXT } from '../../src/core/intake';
import { database } from '../../src/lib/server/database';
import { claimBatch, correctClaimCode, recentBatches } from '../../src/lib/server/intake';
import { ACTOR, customerId, lineOf, newLabel, newUnit } from './making';

const claim = async (text: string, customer?: string) => {
	const act = await claimBatch(await customerId(customer), text, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};

describe('taking units in', () => {
	it('claims the good rows, keeps a verdict for every row, and enters it in the ledger', async () => {
		const [a, b] = [newLabel(), newLabel('access-point')];
		const outcome = await claim(`${lineOf(a)}\nrubbish\n${lineOf(b)}\n${lineOf(a)}`);
		expect(outcome.counts).to.deep.equal({
			claimed: 2,
			'already-ours': 0,
			repeated: 1,
			refused: 0,
			malformed: 1
		});
		const rows = await database()('batch_row').where({ batch_id: outcome.batchId }).orderBy('ordinal');
		expect(rows.map(({ line, verdict }) => [line, verdict])).to.deep.equal([
			[2, 'malformed'],
			[4, 'repeated']
		]);
		expect(
			await database()('unit').where({ batch_id: outcome.batchId }).orderBy('line').pluck('line')
		).to.deep.equal([1, 3]);
		expect((await recentBatches(await customerId(), 1))[0]).to.include({
			id: outcome.batchId,
			claimed: 2,
			good: 2,
			rows: 4
		});
		const unit = await database()('unit').where({ serial: a.serial }).first();
		expect(unit).to.include({ model_id: 'og-2', maker_id: 'okapira', mac: a.mac });
		const entry = await database()('ledger_entry').where({ subject_id: outcome.batchId }).first();
		expect(entry).to.deep.include({
			act: 'claim',
			actor: ACTOR.name,
			words: '2 of 4 rows claimed.',
			detail: outcome.counts
		});
	});

	it('changes nothing when the same is sent again', async () => {
		const text = [newLabel(), newLabel()].map(lineOf).join('\n');
		await claim(text);
		const before = await database()('unit').count();
		expect((await claim(text)).counts).to.include({ claimed: 0, 'already-ours': 2 });
		expect(await database()('unit').count()).to.deep.equal(before);
	});

	it('claims each unit once when two people paste the same list at once', async () => {
		const text = Array.from({ length: 50 }, () => lineOf(newLabel('router'))).join('\n');
		const outcomes = await Promise.all([claim(text), claim(text), claim(text)]);
		expect(outcomes.reduce((sum, { counts }) => sum + counts.claimed, 0)).to.equal(50);
		expect(outcomes.reduce((sum, { counts }) => sum + counts['already-ours'], 0)).to.equal(100);
	});

	it('does not tell one customer of another’s units', async () => {
		const label = newLabel();
		await claim(lineOf(label));
		const { rows } = await claim(lineOf(label), 'Southfold Physio');
		expect(rows[0]).to.include({
			verdict: 'refused',
			reason: 'This unit belongs to another account.',
			unitId: null
		});
	});

	it('keeps no claim code anywhere', async () => {
		const label = { ...newLabel(), claimCode: 'NEVERKEEPME' };
		await claim(`${lineOf(label)}\nbroken,,${label.claimCode}`);
		const { rows } = await database().raw(
			`select table_name as name from information_schema.tables where table_schema = 'public'`
		);
		for (const { name } of rows) {
			const { rows: found } = await database().raw(
				`select count(*)::int as count from ${name} t where t::text like '%NEVERKEEPME%'`
			);
			expect(found[0].count, name).to.equal(0);
		}
	});

	it('refuses what is no list, whole and with a reason', async () => {
		const customer = await customerId();
		const before = await database()('batch').count();
		for (const text of ['', '  \n ', 'x'.repeat(LARGEST_TEXT + 1), 'PK\u0003\u0004\u0000'])
			expect(await claimBatch(customer, text, ACTOR)).to.include({ ok: false });
		expect(await database()('batch').count()).to.deep.equal(before);
	});

	it('survives hostile text in every cell', async () => {
		const label = newLabel();
		const { counts } = await claim(
			`"'; drop table unit; --","<script>",{{ 1 }}\n\ud800,\u202e,x\n${lineOf(label)}`
		);
		expect(counts).to.include({ claimed: 1, malformed: 2 });
	});

	it('corrects a claim code, and keeps that in the ledger', async () => {
		const unit = await newUnit();
		expect(await correctClaimCode(unit.unitId, '!', ACTOR)).to.include({ ok: false });
		expect(await correctClaimCode(unit.unitId, 'abcd-efgh', ACTOR)).to.include({ ok: true });
		expect(
			await database()('ledger_entry').where({ subject_id: unit.unitId, act: 'correct claim code' })
		).to.have.lengthOf(1);
		expect(await correctClaimCode('00000000-0000-7000-8000-00000000dead', 'abcd-efgh', ACTOR)).to.include({
			ok: false
		});
	});
});
