import { expect } from 'chai';
import fc from 'fast-check';
import {
	guessType,
	markAsField,
	occurrencesOf,
	partsFor,
	PURPOSE_IDS,
	renderText,
	stepsFor,
	UPLINK_KINDS
} from '.';

describe('the guided start', () => {
	it('makes nothing that could not be reached, whatever is answered', () => {
		fc.assert(
			fc.property(
				fc.record({
					role: fc.constantFrom('router', 'gateway', 'access-point'),
					uplink: fc.constantFrom('any' as const, ...UPLINK_KINDS),
					guests: fc.boolean(),
					tunnel: fc.boolean()
				}),
				(answers) => {
					const purposes = stepsFor(answers).map(({ purpose }) => purpose);
					expect(purposes).to.include.members(['identity', 'time', 'management']);
					expect(new Set(purposes).size).to.equal(purposes.length);
					const uplinks = purposes.filter((purpose) => purpose.startsWith('uplink-'));
					const kinds = answers.uplink === 'any' ? UPLINK_KINDS : [answers.uplink];
					expect(uplinks).to.deep.equal(
						answers.role === 'access-point' ? [] : kinds.map((kind) => `uplink-${kind}`)
					);
					expect(purposes.some((purpose) => purpose.startsWith('guest-'))).to.equal(answers.guests);
				}
			)
		);
	});

	it('says where the library has no part', () => {
		const library = PURPOSE_IDS.filter((id) => id !== 'time').map((purpose) => ({ purpose, name: purpose }));
		const steps = partsFor(stepsFor({ role: 'router', uplink: 'dsl', guests: true, tunnel: true }), library);
		expect(steps.filter(({ part }) => part === null).map(({ purpose }) => purpose)).to.deep.equal(['time']);
		expect(steps.at(-1)).to.include({ purpose: 'tunnel', weight: 'optional' });
	});
});

describe('marking a text', () => {
	const TEXT =
		'hostname a1\nport wan0\n  own-address 10.0.0.1/24\nroute default via 10.0.0.1\nname a1-b a1\n';
	it('finds the same words elsewhere, and not in longer ones', () => {
		expect(occurrencesOf(TEXT, 'a1').map(({ line, text }) => [line, text])).to.deep.equal([
			[1, 'hostname a1'],
			[5, 'name a1-b a1']
		]);
		expect(occurrencesOf(TEXT, '10.0.0.1').map(({ line }) => line)).to.deep.equal([4]);
		expect(occurrencesOf('{ "a": "x y" }', 'x y')).to.have.lengthOf(1);
		expect(occurrencesOf('{{ name }} name', 'name').map(({ from }) => from)).to.deep.equal([11]);
		expect(occurrencesOf(TEXT, ' ')).to.deep.equal([]);
	});

	it('gives back the text it was made of, with the words as the field’s value', () => {
		const word = fc.constantFrom('a', 'b1', '10.0.0.1', '10.0.0.1/24', 'c-d', '20');
		fc.assert(
			fc.property(
				fc.array(fc.array(word, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 6 }),
				word,
				(lines, words) => {
					const text = lines.map((line) => line.join(' ')).join('\n');
					const places = occurrencesOf(text, words);
					expect(places.length).to.equal(lines.flat().filter((one) => one === words).length);
					const marked = markAsField(text, places, 'field');
					expect(occurrencesOf(marked, words)).to.deep.equal([]);
					const rendered = renderText(marked, { field: words });
					expect(rendered.ok && rendered.lines.map((line) => line.text).join('\n')).to.equal(text);
				}
			)
		);
	});

	it('guesses what kind of value it is', () => {
		const kind = (words: string, before = '') => guessType(words, before).kind;
		expect(
			['10.0.0.1', '10.0.0.0/24', '10.0.0.1/24', '02:00:00:00:00:01', '17', 'https://a.example/', 'x'].map(
				(words) => kind(words)
			)
		).to.deep.equal(['address', 'prefix', 'interface address', 'mac', 'number', 'url', 'text']);
		expect([
			kind('30', 'tag'),
			kind('a1', 'hostname'),
			kind('whatever', 'secret'),
			kind('••••••')
		]).to.deep.equal(['vlan', 'hostname', 'secret', 'secret']);
	});
});
