import {
	createHash,
	generateKeyPairSync,
	randomUUID,
	sign,
	type KeyObject,
	type KeyPairKeyObjectResult
} from 'node:crypto';
import { expect } from 'chai';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import {
	findImage,
	imageAddress,
	setImageState,
	uploadImage,
	type ImageState
} from '../../../src/lib/server/firmware';
import { Pace, paced } from '../../../src/lib/server/firmware/pace';
import { currentSettings } from '../../../src/lib/server/settings';
import { readyToDial } from '../dialling';
import { ACTOR, address, unwalled } from '../making';
import { unbindUnit } from '../../../src/lib/server/binding';
import { must, why } from '../profile/profile-making';

const content = (text: string) => Readable.from([Buffer.from(text)]);
const upload = (version: string, text = 'firmware', firmwareLine = 'okapira-og') =>
	uploadImage({ firmwareLine, version, fileName: 'a.bin', content: content(text) }, ACTOR);

describe('firmware images', () => {
	before(async () => {
		expect(await upload('9.0.0', '0123456789')).to.include({ ok: true });
	});

	it('are given whole or in ranges, to the unit whose ticket is in the address', async () => {
		const { unitId } = await readyToDial();
		const ticket = imageAddress(unitId, 'okapira-og', '9.0.0').split('?')[1]!;
		const from = address(`/images/okapira-og/9.0.0?${ticket}`);
		const get = async (headers: Record<string, string>) => {
			const response = await fetch(from, { headers });
			return [response.status, await response.text(), response.headers.get('content-range')];
		};
		const etag = (await fetch(from)).headers.get('etag')!;
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

	it('are given to nobody else, not for another version, not once they are withdrawn or the unit has what it is to have', async () => {
		const unit = await readyToDial();
		must(await upload('9.3.0', 'for one unit'));
		const own = new URL(imageAddress(unit.unitId, 'okapira-og', '9.3.0'));
		const status = async (path: string) => (await fetch(address(path))).status;
		const [path, ticket] = [own.pathname, own.searchParams.get('ticket')!];
		expect(await status(path + own.search)).to.equal(200);
		const [, mac] = ticket.split('.');
		for (const wrong of [
			path,
			`${path}?ticket=`,
			`${path}?ticket=${ticket.slice(0, -2)}xx`,
			`${path}?ticket=${randomUUID()}.${mac}`,
			`${path.replace('9.3.0', '9.0.0')}${own.search}`,
			`${path}?ticket=${'a'.repeat(5000)}`
		])
			expect(await status(wrong), wrong.slice(0, 200)).to.equal(404);
		const image = (await findImage('okapira-og', '9.3.0'))!;
		const state = (edit: number, to: ImageState, reason = '') =>
			setImageState({ image: image.id, edit, state: to, reason, notes: '' }, ACTOR);
		must(await state(0, 'withdrawn', 'Loses tunnels.'));
		expect(await status(path + own.search)).to.equal(410);
		expect(why(await state(0, 'allowed'))).to.match(/meanwhile/);
		must(await state(1, 'allowed'));
		expect(await status(path + own.search)).to.equal(200);
		must(await unbindUnit(unit.positionId, ACTOR));
		expect(await status(path + own.search)).to.equal(404);
	});

	it('go to a site no faster than its line may be used for them', async () => {
		const pace = new Pace();
		// 100 octets at 50 a second, and again: the second waits for the first
		expect([pace.take(100, 50, 1_000), pace.take(100, 50, 1_000), pace.take(100, 50, 9_000)]).to.deep.equal([
			0, 2_000, 0
		]);
		const slow = new Pace();
		let ended = 0;
		const body = paced(
			Readable.from([Buffer.alloc(400), Buffer.alloc(400), Buffer.alloc(200)]),
			[
				{ pace: slow, rate: 4_000 },
				{ pace: new Pace(), rate: 1_000_000 }
			],
			() => ended++
		);
		const begun = performance.now();
		let bytes = 0;
		for await (const chunk of body as AsyncIterable<Buffer>) bytes += chunk.length;
		expect(bytes).to.equal(1000);
		expect(performance.now() - begun).to.be.at.least(190);
		expect(ended).to.equal(1);
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

	it('are taken with a signature by a signer of their line, told with whose, and without one where none is needed', async () => {
		const inPem = ({ publicKey, privateKey }: KeyPairKeyObjectResult) => ({
			publicKey: publicKey.export({ type: 'spki', format: 'pem' }).toString(),
			privateKey
		});
		const rsa = inPem(generateKeyPairSync('rsa', { modulusLength: 2048 }));
		const curve = inPem(generateKeyPairSync('ec', { namedCurve: 'P-256' }));
		const stranger = inPem(generateKeyPairSync('ec', { namedCurve: 'P-256' }));
		const line = 'brackwater-bw';
		const signed = (version: string, text: string, signature?: Buffer) =>
			uploadImage(
				{ firmwareLine: line, version, fileName: 'a.bin', content: content(text), signature },
				ACTOR
			);
		const made = (text: string, key: KeyObject) => sign('sha256', Buffer.from(text), key);
		expect(why(await signed('9.1.0', 'x', made('x', rsa.privateKey)))).to.match(/names nobody who signs/);
		const signers = (is_signed: boolean, ...keys: string[]) =>
			unwalled()('model').where({ firmware_line: line }).update({ signers: keys, is_signed });
		try {
			await signers(false, rsa.publicKey, curve.publicKey);
			must(await signed('9.1.0', 'not signed'));
			must(await signed('9.1.1', 'by rsa', made('by rsa', rsa.privateKey)));
			must(await signed('9.1.2', 'by curve', made('by curve', curve.privateKey)));
			const fingerprint = createHash('sha256')
				.update(Buffer.from(curve.publicKey.replace(/-----.*?-----|\s/g, ''), 'base64'))
				.digest('hex');
			expect((await findImage(line, '9.1.0'))!.signedBy).to.equal(null);
			expect((await findImage(line, '9.1.2'))!.signedBy!.toString('hex')).to.equal(fingerprint);
			const wrong = /not by a signer of this line over this file/;
			expect(why(await signed('9.1.3', 'another', made('by rsa', rsa.privateKey)))).to.match(wrong);
			expect(why(await signed('9.1.3', 'by me', made('by me', stranger.privateKey)))).to.match(wrong);
			expect(why(await signed('9.1.3', 'x', Buffer.from('no signature')))).to.match(wrong);
			expect(why(await signed('9.1.3', 'x', Buffer.alloc(0)))).to.match(/1 to 1024 octets/);
			expect(why(await signed('9.1.3', 'x', Buffer.alloc(2000)))).to.match(/1 to 1024 octets/);
			await signers(true, rsa.publicKey);
			expect(why(await signed('9.1.3', 'not signed'))).to.match(/Give the signature too/);
			expect(await findImage(line, '9.1.3')).to.equal(undefined);
		} finally {
			await signers(false);
		}
	});
});
