import { expect } from 'chai';
import fc from 'fast-check';
import {
	BASE,
	errorWords,
	Framing,
	FramingProblem,
	hello,
	LONGEST_MESSAGE,
	readHello,
	readReply,
	rpc
} from '.';

const bytes = (text: string) => new TextEncoder().encode(text);
function pushed(text: string, isChunked: boolean, size = text.length || 1): string[] {
	const framing = new Framing();
	if (isChunked) framing.useChunks();
	const octets = bytes(text);
	const all: string[] = [];
	for (let at = 0; at < octets.length; at += size) all.push(...framing.push(octets.subarray(at, at + size)));
	return all;
}

describe('NETCONF’s framing', () => {
	it('is the one of RFC 6242, in both its forms', () => {
		const framing = new Framing();
		expect(new TextDecoder().decode(framing.encode('<a/>'))).to.equal('<a/>]]>]]>');
		framing.useChunks();
		expect(new TextDecoder().decode(framing.encode('<é/>'))).to.equal('\n#5\n<é/>\n##\n');
		// The example of section 4.2
		expect(pushed('\n#4\n<rpc\n#18\n message-id="102"\n\n#3\n>.\n\n##\n', true)).to.deep.equal([
			'<rpc message-id="102"\n>.\n'
		]);
		expect(pushed('<a/>]]>]]>\n<b/>]]>]]><c', false)).to.deep.equal(['<a/>', '\n<b/>']);
	});

	it('gives back every message, in whatever pieces its octets come', () => {
		const message = fc
			.string({ unit: 'grapheme', minLength: 1, maxLength: 60 })
			.filter((text) => !text.includes(']]>'));
		fc.assert(
			fc.property(
				fc.array(message, { maxLength: 5 }),
				fc.boolean(),
				fc.integer({ min: 1, max: 40 }),
				(messages, isChunked, size) => {
					const writer = new Framing();
					if (isChunked) writer.useChunks();
					const sent = messages.map((one) => new TextDecoder().decode(writer.encode(one))).join('');
					expect(pushed(sent, isChunked, size)).to.deep.equal(messages);
				}
			)
		);
	});

	it('that is broken or never ends is refused', () => {
		for (const text of [
			'\n#0\n',
			'\n#01\na\n##\n',
			'\n#4294967296000\n',
			'x',
			'\n#3\nabcd',
			'\n##\n',
			'\n#a\n',
			'\n#3\r\nabc'
		])
			expect(() => pushed(text, true), JSON.stringify(text)).to.throw(FramingProblem);
		expect(() => pushed('\n#4294967295\n', true)).to.throw(/longer than 1 MB/);
		expect(() => pushed('x'.repeat(LONGEST_MESSAGE + 1), false)).to.throw(/longer than 1 MB/);
		expect(pushed('\n#1', true)).to.deep.equal([]);
	});
});

const reply = (inside: string, id = 7) =>
	`<rpc-reply message-id="${id}" xmlns="${BASE}">${inside}</rpc-reply>`;

describe('NETCONF’s messages', () => {
	it('greet, and read the other’s greeting', () => {
		expect(readHello(hello())).to.deep.equal({ ok: false, problem: 'Its hello names no session.' });
		const said = (capability: string) =>
			`<nc:hello xmlns:nc="${BASE}"><nc:capabilities><nc:capability>\n  ${capability}\n</nc:capability></nc:capabilities><nc:session-id>4</nc:session-id></nc:hello>`;
		expect(readHello(said('urn:ietf:params:netconf:base:1.1'))).to.deep.include({
			ok: true,
			isChunked: true
		});
		expect(readHello(said('urn:ietf:params:netconf:base:1.0'))).to.deep.include({
			ok: true,
			isChunked: false
		});
		expect(readHello(said('urn:other')).ok).to.equal(false);
		for (const text of ['', '<hello/>', 'SSH-2.0', '<a>']) expect(readHello(text).ok, text).to.equal(false);
	});

	it('ask by number, and read ok, data and what is wrong', () => {
		expect(rpc(7, '<get/>')).to.include('message-id="7"').and.to.include('<get/>');
		expect(readReply(reply('<ok/>'), 7)).to.deep.equal({ kind: 'ok' });
		expect(readReply(reply('<data><a xmlns="urn:a"><b>1</b></a></data>'), 7)).to.deep.include({
			kind: 'data',
			text: '<a xmlns="urn:a">\n  <b>1</b>\n</a>\n'
		});
		expect(readReply(reply('<data/>'), 7)).to.deep.include({ kind: 'data', text: '' });
		const wrong = readReply(
			reply(
				'<rpc-error><error-type>application</error-type><error-tag>invalid-value</error-tag><error-severity>error</error-severity><error-path>/a/b</error-path><error-message xml:lang="en">no such port</error-message></rpc-error>'
			),
			7
		);
		expect(wrong.kind === 'error' && errorWords(wrong.errors)).to.equal(
			'invalid-value: no such port (at /a/b)'
		);
		const warning = '<rpc-error><error-tag>x</error-tag><error-severity>warning</error-severity></rpc-error>';
		expect(readReply(reply(`${warning}<ok/>`), 7)).to.deep.equal({ kind: 'ok' });
	});

	it('that answer something else, or nothing, are told so', () => {
		for (const [text, words] of [
			[reply('<ok/>', 8), /answered number 8 when asked number 7/],
			[reply(''), /neither ok/],
			['<notification/>', /“notification”/],
			['<rpc-reply', /no XML/],
			['', /“nothing”/]
		] as const) {
			const read = readReply(text, 7);
			expect(read.kind === 'unreadable' && read.problem, text).to.match(words);
		}
	});
});
