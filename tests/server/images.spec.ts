import { expect } from 'chai';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { uploadImage } from '../../src/lib/server/firmware';
import { currentSettings } from '../../src/lib/server/settings';
import { ACTOR, address } from './making';

const content = (text: string) => Readable.from([Buffer.from(text)]);
const upload = (version: string, text = 'firmware', firmwareLine = 'okapira-og') =>
	uploadImage({ firmwareLine, version, fileName: 'a.bin', content: content(text) }, ACTOR);

describe('firmware images', () => {
	before(async () => {
		expect(await upload('9.0.0', '0123456789')).to.include({ ok: true });
	});

	it('are given whole or in ranges', async () => {
		const get = async (headers: Record<string, string>) => {
			const response = await fetch(address('/images/okapira-og/9.0.0'), { headers });
			return [response.status, await response.text(), response.headers.get('content-range')];
		};
		const etag = (await fetch(address('/images/okapira-og/9.0.0'))).headers.get('etag')!;
		expect(await get({})).to.deep.equal([200, '0123456789', null]);
		expect(await get({ range: 'bytes=2-4' })).to.deep.equal([206, '234', 'bytes 2-4/10']);
		expect(await get({ range: 'bytes=-3' })).to.deep.equal([206, '789', 'bytes 7-9/10']);
		expect(await get({ range: 'bytes=8-99' })).to.deep.equal([206, '89', 'bytes 8-9/10']);
		expect(await get({ range: 'bytes=20-' })).to.deep.equal([416, '', 'bytes */10']);
		expect(await get({ range: 'bytes=0-1,4-5' })).to.deep.equal([200, '0123456789', null]);
		expect(await get({ range: 'lines=1-2' })).to.deep.equal([200, '0123456789', null]);
		expect(await get({ range: 'bytes=0-1', 'if-range': etag })).to.deep.equal([206, '01', 'bytes 0-1/10']);
		expect(await get({ range: 'bytes=0-1', 'if-range': '"other"' })).to.deep.equal([200, '0123456789', null]);
	});

	it('are not found by a path that leads elsewhere', async () => {
		for (const path of [
			'/images/okapira-og/0.0.0',
			'/images/okapira-og/..%2f..%2fkeys',
			'/images/..%2f..%2f/claim.key',
			'/images/x/y%00'
		])
			expect((await fetch(address(path))).status, path).to.be.oneOf([400, 404]);
	});

	it('are refused when there already, empty, or of no known line, and leave nothing behind', async () => {
		const files = () => readdirSync(join(currentSettings().LIMEN_STATE_DIR, 'images')).length;
		const before = files();
		const problem = async (act: ReturnType<typeof upload>) => {
			const done = await act;
			return done.ok ? '' : done.problem;
		};
		expect(await problem(upload('9.0.0', 'other'))).to.match(/already here/);
		expect(await problem(upload('9.0.1', ''))).to.match(/empty/);
		expect(await problem(upload('../../x'))).to.match(/letters/);
		expect(await problem(upload('9.0.2', 'x', 'nobody'))).to.match(/line/);
		expect(files()).to.equal(before);
	});
});
