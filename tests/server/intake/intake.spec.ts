import { expect } from 'chai';
import { LARGEST_TEXT, NO_ROWS } from '../../../src/core/intake';
import { claimBatch, correctClaimCode, recentBatches } from '../../../src/lib/server/intake';
import {
	ACTOR,
	address,
	answerOf,
	customerId,
	lineOf,
	newLabel,
	newPerson,
	newUnit,
	openPosition,
	unwalled
} from '../making';
import { workbook } from '../workbook';

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
			malformed: 1,
			'unknown-model': 0
		});
		const rows = await unwalled()('batch_row').where({ batch_id: outcome.batchId }).orderBy('ordinal');
		expect(rows.map(({ line, verdict }) => [line, verdict])).to.deep.equal([
			[2, 'malformed'],
			[4, 'repeated']
		]);
		expect(
			await unwalled()('unit').where({ batch_id: outcome.batchId }).orderBy('line').pluck('line')
		).to.deep.equal([1, 3]);
		expect((await recentBatches(await customerId(), 1))[0]).to.deep.include({
			id: outcome.batchId,
			counts: { ...NO_ROWS, claimed: 2, repeated: 1, malformed: 1 }
		});
		const unit = await unwalled()('unit').where({ serial: a.serial }).first();
		expect(unit).to.include({ model_id: 'og-2', maker_id: 'okapira', mac: a.mac });
		const entry = await unwalled()('ledger_entry').where({ subject_id: outcome.batchId }).first();
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
		const before = await unwalled()('unit').count();
		expect((await claim(text)).counts).to.include({ claimed: 0, 'already-ours': 2 });
		expect(await unwalled()('unit').count()).to.deep.equal(before);
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
		const { rows } = await unwalled().raw(
			`select table_name as name from information_schema.tables where table_schema = 'public'`
		);
		for (const { name } of rows) {
			const { rows: found } = await unwalled().raw(
				`select count(*)::int as count from ${name} t where t::text like '%NEVERKEEPME%'`
			);
			expect(found[0].count, name).to.equal(0);
		}
	});

	it('refuses what is no list, whole and with a reason', async () => {
		const customer = await customerId();
		const before = await unwalled()('batch').count();
		for (const text of ['', '  \n ', 'x'.repeat(LARGEST_TEXT + 1), 'PK\u0003\u0004\u0000'])
			expect(await claimBatch(customer, text, ACTOR)).to.include({ ok: false });
		expect(await unwalled()('batch').count()).to.deep.equal(before);
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
			await unwalled()('ledger_entry').where({ subject_id: unit.unitId, act: 'correct claim code' })
		).to.have.lengthOf(1);
		expect(await correctClaimCode('00000000-0000-7000-8000-00000000dead', 'abcd-efgh', ACTOR)).to.include({
			ok: false
		});
	});
});

describe('a delivery note as a file', () => {
	const siteAt = async (positionId: string): Promise<string> =>
		(
			await unwalled()('site')
				.whereIn('id', unwalled()('position').where({ id: positionId }).select('site_id'))
				.first('name')
		).name;
	/** Sends a file through the page, as a browser does. */
	async function send(name: string, content: Uint8Array, text = '') {
		const { cookie } = await newPerson('administrator');
		const body = new FormData();
		body.set('customer', await customerId());
		body.set('text', text);
		body.set('file', new File([content as Uint8Array<ArrayBuffer>], name));
		const response = await fetch(address('/intake?/claim'), {
			method: 'POST',
			headers: {
				cookie,
				origin: address('').replace(/\/$/, ''),
				accept: 'application/json',
				'x-sveltekit-action': 'true'
			},
			body
		});
		return answerOf(response);
	}
	type Rows = { verdict: string; reason: string; bound: { ok: boolean; words: string } | null }[];
	const rowsOf = ({ data }: Awaited<ReturnType<typeof send>>) => (data!.outcome as { rows: Rows }).rows;

	it('binds each unit to the position that it names, says why where it cannot, and does it once', async () => {
		const [a, b, c] = [newLabel(), newLabel(), newLabel('access-point')];
		const [here, there] = [await openPosition(), await openPosition()];
		const file = workbook(
			[
				['Claim code', 'Position', 'Pallet', 'Serial number', 'Site', 'MAC'],
				[a.claimCode, 'gw-1', 1, a.serial, (await siteAt(here)).toUpperCase(), a.mac],
				[b.claimCode, 'gw-9', 1, b.serial, await siteAt(there), b.mac],
				[c.claimCode, 'gw-1', 2, { formula: '"x"', result: c.serial }, await siteAt(there), c.mac],
				[b.claimCode, 'gw-1', 2, newLabel().serial, '', '']
			],
			['C2:C3']
		);
		const first = await send('delivery.xlsx', file);
		const outcome = rowsOf(first).map(({ verdict, bound }) => [verdict, bound?.ok ?? null]);
		expect(outcome).to.deep.equal([
			['malformed', null],
			['claimed', true],
			['claimed', false],
			['claimed', false]
		]);
		const words = rowsOf(first).map(({ bound, reason }) => bound?.words ?? reason);
		expect(words[0]).to.match(/Name the site of the position/);
		expect(words[2]).to.match(/no position “gw-9”/);
		expect(words[3]).to.match(/cannot serve as gateway/);
		// What comes back to be mended has its headings again
		expect((first.data!.text as string).split('\n')[0]).to.match(/Claim code\tPosition\tPallet/);
		const bound = await unwalled()('binding').where({ position_id: here }).first();
		const again = rowsOf(await send('delivery.xlsx', file));
		expect(again.map(({ verdict, bound: one }) => [verdict, one?.ok ?? null])).to.deep.equal([
			['malformed', null],
			['already-ours', true],
			['already-ours', false],
			['already-ours', false]
		]);
		expect(again[1]!.bound!.words).to.match(/already/);
		expect(await unwalled()('binding').where({ position_id: here }).first()).to.deep.equal(bound);
	});

	it('is read in whichever encoding a spreadsheet wrote it', async () => {
		const labels = [newLabel(), newLabel(), newLabel(), newLabel()];
		const text = (index: number) =>
			`serial;mac;claim code;café\r\n${lineOf(labels[index]!).replaceAll(',', ';')};é\r\n`;
		const utf16 = (big: boolean) => {
			const bytes = Buffer.from(`\uFEFF${text(big ? 1 : 0)}`, 'utf16le');
			return new Uint8Array(big ? bytes.swap16() : bytes);
		};
		for (const [index, content] of [
			utf16(false),
			utf16(true),
			new Uint8Array(Buffer.from(`\uFEFF${text(2)}`)),
			new Uint8Array(Buffer.from(text(3), 'latin1'))
		].entries()) {
			const { data } = await send('list.csv', content);
			const { counts, remark } = data!.outcome as { counts: { claimed: number }; remark: string | null };
			expect(counts.claimed, `file ${index}`).to.equal(1);
			expect(remark === null, `file ${index}`).to.equal(index < 3);
		}
	});

	it('of the wrong kind is refused by its name, and nothing is taken in', async () => {
		const before = await unwalled()('batch').count();
		const zip = Buffer.from('PK\u0003\u0004 and then nothing that a sheet has');
		for (const [name, content] of [
			['photo.jpg', Uint8Array.from([0xff, 0xd8, 0xff, 0, 0, 1])],
			['broken.xlsx', new Uint8Array(zip)]
		] as const) {
			const { type, data } = await send(name, content);
			expect([type, data!.problem]).to.satisfy(
				([kind, problem]: [string, string]) => kind === 'failure' && problem.includes(name)
			);
		}
		expect(await unwalled()('batch').count()).to.deep.equal(before);
	});
});
