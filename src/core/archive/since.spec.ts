import { expect } from 'chai';
import fc from 'fast-check';
import { NO_RULES } from '../config';
import { sinceWhich } from '.';

const of = (...texts: string[]) => sinceWhich({ texts, dialect: 'braced', rules: NO_RULES });

describe('since which version what a line says has been there', () => {
	it('is told of each line of the newest', () => {
		expect(of('a 1;\nb 2;\n')).to.deep.equal([0, 0]);
		expect(of('a 1;\nb 2;\nc 3;\nd 4;\n', 'a 1;\nb 2;\nd 4;\n', 'b 2;\nd 4;\n')).to.deep.equal([1, 2, 0, 2]);
		expect(of('a 1;\n', 'a 2;\n', 'a 1;\n')).to.deep.equal([0]);
	});

	it('does not depend on where it is printed, nor on how', () => {
		expect(
			of(
				'port in {\n\taddress 10.0.0.1/24;\n\tnote "till";\n}\nclock { server b; }\n',
				'clock {\n\tserver a;\n}\n# by hand\nport in { note "till"; address 10.0.0.1/24; }\n'
			)
		).to.deep.equal([1, 1, 1, null, 0]);
	});

	it('is another one in another block', () => {
		expect(of('port a {\n\ttag 3;\n}\nport b {\n\ttag 3;\n}\n', 'port a {\n\ttag 3;\n}\n')).to.deep.equal([
			1,
			1,
			null,
			0,
			0,
			null
		]);
	});

	it('counts equal ones, and says nothing of what says nothing', () => {
		expect(of('server a;\n\n# two\nserver a;\n', 'server a;\n')).to.deep.equal([1, null, null, 0]);
	});

	it('takes what cannot be read line by line', () => {
		expect(of('port {\na\nb\n', 'b\nport {\n')).to.deep.equal([1, 0, 1]);
		expect(of('')).to.deep.equal([null]);
	});

	it('holds for a block whose own words are very long', () => {
		const text = `port ${'x'.repeat(50_000)} {\n${Array.from({ length: 5000 }, (_, at) => `a ${at};\n`).join('')}}\n`;
		const since = of(text, text);
		expect(since).to.have.lengthOf(5002);
		expect(new Set(since)).to.deep.equal(new Set([1, null]));
	});

	it('holds for any versions: what a line says has been in all from there on, and not in the one before', () => {
		const text = fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd', 'e'), { maxLength: 5 });
		fc.assert(
			fc.property(fc.array(text, { minLength: 1, maxLength: 6 }), (versions) => {
				const since = of(...versions.map((words) => words.map((word) => `${word} on;\n`).join('')));
				for (const [line, word] of versions[0]!.entries()) {
					const version = since[line]!;
					for (let at = 0; at <= version; at++) expect(versions[at]).to.include(word);
					expect(versions[version + 1] ?? []).to.not.include(word);
				}
			})
		);
	});
});
