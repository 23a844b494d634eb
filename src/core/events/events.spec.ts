import { expect } from 'chai';
import fc from 'fast-check';
import { FrameReader, LONGEST_EVENT, readEvent } from '.';

const octets = (text: string) => new TextEncoder().encode(text);
const read = (text: string) => readEvent(octets(text));

describe('what a device says', () => {
	it('is read as RFC 5424 has it, with the examples of its §6.5', () => {
		expect(
			read(
				"<34>1 2003-10-11T22:14:15.003Z mymachine.example.com su - ID47 - \ufeff'su root' failed for lonvick"
			)
		).to.deep.include({
			form: 'rfc5424',
			facility: 4,
			severity: 2,
			at: Date.parse('2003-10-11T22:14:15.003Z'),
			host: 'mymachine.example.com',
			app: 'su',
			kind: 'ID47',
			words: "'su root' failed for lonvick"
		});
		expect(
			read(
				"<165>1 2003-08-24T05:14:15.000003-07:00 192.0.2.1 myproc 8710 - - %% It's time to make the do-nuts."
			)
		).to.deep.include({
			at: Date.parse('2003-08-24T05:14:15-07:00'),
			kind: '',
			words: "%% It's time to make the do-nuts."
		});
		expect(
			read(
				'<165>1 2003-10-11T22:14:15.003Z h evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="A\\"p\\]p"][examplePriority@32473 class="high"]'
			)
		).to.deep.include({
			words: '',
			rest: 'evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="A\\"p\\]p"][examplePriority@32473 class="high"]'
		});
		expect(read('<0>1 - - - - - - x')).to.deep.include({
			at: null,
			host: '',
			app: '',
			severity: 0,
			words: 'x'
		});
	});

	it('is read in the older form too, and says that it was', () => {
		expect(read("<34>Oct 11 22:14:15 mymachine su[12]: 'su root' failed")).to.deep.include({
			form: 'rfc3164',
			at: null,
			host: 'mymachine',
			app: 'su',
			words: "'su root' failed"
		});
		expect(read('<189>Nov  7 2026 09:01:02: cfg: saved')).to.deep.include({
			form: 'rfc3164',
			app: 'cfg',
			words: 'saved'
		});
		expect(read('<13>Use the BFG!')).to.deep.include({ form: 'plain', severity: 5, words: 'Use the BFG!' });
		expect(read('no priority at all')).to.deep.include({ form: 'plain', facility: 1, severity: 5 });
		// 192 is no PRI; a date that is none is not taken for one
		expect(read('<192>1 - - - - - - x').form).to.equal('plain');
		expect(read('<34>1 yesterday h a - - - x')).to.deep.include({ form: 'rfc5424', at: null });
	});

	const word = fc.stringMatching(/^[!-Z^-~]{1,20}$/);
	const value = fc.string({ maxLength: 30 }).map((text) => text.replace(/\p{C}/gu, ''));
	const escaped = (text: string) => text.replace(/["\\\]]/g, '\\$&');
	it('gives what was written, whatever it was', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 0, max: 191 }),
				word,
				word,
				word,
				fc.array(value, { maxLength: 3 }),
				value,
				(pri, host, app, kind, values, text) => {
					const data =
						values.length === 0
							? '-'
							: `[x@1${values.map((one, at) => ` p${at}="${escaped(one)}"`).join('')}]`;
					const said = read(`<${pri}>1 2026-11-27T12:00:00Z ${host} ${app} - ${kind} ${data} ${text}`);
					expect(said).to.deep.include({
						form: 'rfc5424',
						facility: Math.floor(pri / 8),
						severity: pri % 8,
						host: host === '-' ? '' : host,
						words: text.toWellFormed().trim()
					});
				}
			)
		);
	});

	it('is read whatever it is, also when it is hostile', () => {
		fc.assert(
			fc.property(fc.uint8Array({ maxLength: 400 }), (any) => {
				const said = readEvent(any);
				expect(said.severity).to.be.within(0, 7);
				expect(said.words).to.not.include('\u0000');
			})
		);
		for (const hostile of [
			'<34>1 - - - - - [' + '['.repeat(100_000),
			'<34>1 - - - - - [a b="' + '\\'.repeat(100_000),
			'<1>' + 'Jan '.repeat(50_000)
		])
			expect(read(hostile).words.length).to.be.at.most(LONGEST_EVENT);
	});
});

describe('a stream of messages', () => {
	const frames = (...pieces: readonly Uint8Array[]) => {
		const reader = new FrameReader();
		return pieces.flatMap((piece) => reader.push(piece)).map((frame) => new TextDecoder().decode(frame));
	};

	it('has each with its length before it, or ended by a line feed', () => {
		expect(frames(octets('5 hello3 a\nb<13>line\r\n\n<13>next\n7 tail'))).to.deep.equal([
			'hello',
			'a\nb',
			'<13>line',
			'<13>next'
		]);
	});

	it('gives the same however it is cut', () => {
		const message = fc.oneof(
			fc.stringMatching(/^<[a-z \n]{0,30}$/).map((text) => `${octets(text).length || 1} ${text || 'x'}`),
			fc.stringMatching(/^<[a-z ]{1,30}$/).map((text) => `${text}\n`),
			fc.constant(`${LONGEST_EVENT + 50} ${'y'.repeat(LONGEST_EVENT + 50)}`),
			fc.constant(`<${'z'.repeat(LONGEST_EVENT * 2)}\n`)
		);
		fc.assert(
			fc.property(
				fc.array(message, { maxLength: 6 }),
				fc.array(fc.integer({ min: 1, max: 5000 }), { minLength: 1, maxLength: 20 }),
				(messages, cuts) => {
					const whole = octets(messages.join(''));
					const pieces: Uint8Array[] = [];
					for (let at = 0, turn = 0; at < whole.length; turn++) {
						const size = cuts[turn % cuts.length]!;
						pieces.push(whole.subarray(at, at + size));
						at += size;
					}
					expect(frames(...pieces)).to.deep.equal(frames(whole));
					expect(frames(whole)).to.have.lengthOf(messages.length);
				}
			)
		);
	});

	it('keeps no more than one message of what never ends', () => {
		const reader = new FrameReader();
		let count = 0;
		for (let piece = 0; piece < 300; piece++) count += reader.push(new Uint8Array(10_000).fill(0x61)).length;
		expect(count).to.equal(1);
		expect(frames(octets('99999999999999 x\n'), octets('0 y\n'))).to.deep.equal(['99999999999999 x', '0 y']);
	});
});
