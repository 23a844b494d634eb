import { expect } from 'chai';
import fc from 'fast-check';
import { fileKey, holds, kitChanges, renderBeside, type Kit, type ProofCheck } from './beside';
import { evaluate, scopeOf } from '../text/render';

const scope = scopeOf({ hub: '192.0.2.1', file: { terms_html: 'http://limen.example/files/x/terms.html' } });
const check = (command: string, words = 'yes'): ProofCheck => ({
	name: 'The hub answers',
	asks: { braced: { command, expects: 'words', words } }
});

describe('what goes with a configuration', () => {
	it('sees the same values as its texts', () => {
		const result = renderBeside(
			'braced',
			{
				scripts: { before: 'fetch {{ file.terms_html }}\nsay {{ hub }}\n', after: 'save' },
				checks: [check('tell reach {{ hub }}', '{{ hub }} yes'), { name: 'Elsewhere', asks: {} }]
			},
			{ scope }
		);
		expect(result).to.deep.equal({
			ok: true,
			beside: {
				before: 'fetch http://limen.example/files/x/terms.html\nsay 192.0.2.1\n',
				after: 'save\n',
				checks: [
					{
						name: 'The hub answers',
						expects: 'words',
						command: 'tell reach 192.0.2.1',
						words: '192.0.2.1 yes'
					}
				]
			}
		});
	});

	it('names everything that is missing or broken, with where it stands', () => {
		const result = renderBeside(
			'braced',
			{ scripts: { before: 'a\nsay {{ nobody }}' }, checks: [check('tell {{ hub'), check('{{ two }}')] },
			{ scope: scopeOf(scope, { two: 'a\nb' }) }
		);
		expect(result.ok ? [] : result.problems.map(({ piece, line }) => [piece, line])).to.deep.equal([
			['Script before the configuration', 2],
			['Check “The hub answers”', 1],
			['Check “The hub answers”', 2]
		]);
	});

	it('judges answers by their words, whatever their case and spaces', () => {
		const says = { expects: 'words', words: 'State  UP' } as const;
		expect(holds(says, 'wan0\n  state\tup, 3 days')).to.equal(true);
		expect(holds(says, 'state down')).to.equal(false);
		expect(holds({ ...says, expects: 'none of them' }, 'state down')).to.equal(true);
		fc.assert(
			fc.property(fc.string({ minLength: 1 }), fc.string(), (words, answer) => {
				expect(holds({ expects: 'words', words }, answer)).to.not.equal(
					holds({ expects: 'none of them', words }, answer)
				);
			})
		);
	});

	it('says what differs between two revisions, and nothing where nothing does', () => {
		const before: Kit = {
			targets: { 'okapira-og': '7.0.3', 'veltrane-branch': '4.2.1' },
			scripts: { braced: { after: 'save\n' } },
			files: [{ name: 'terms.html', text: 'be kind\n' }],
			checks: [check('tell reach {{ hub }}')]
		};
		expect(kitChanges(before, JSON.parse(JSON.stringify(before)))).to.deep.equal([]);
		const after: Kit = {
			targets: { 'okapira-og': '7.1.0' },
			scripts: { braced: { after: 'save\n', before: 'hush\n' } },
			files: [],
			checks: [check('tell reach {{ hub }}', 'no')]
		};
		expect(kitChanges(before, after)).to.deep.equal([
			{ words: 'The firmware of okapira-og changes.', removed: ['7.0.3'], added: ['7.1.0'] },
			{ words: 'The firmware of veltrane-branch is taken out.', removed: ['4.2.1'], added: [] },
			{ words: 'The file terms.html is taken out.', removed: ['be kind'], added: [] },
			{
				words: 'The check “The hub answers” changes.',
				removed: ['braced: tell reach {{ hub }} (words: yes)'],
				added: ['braced: tell reach {{ hub }} (words: no)']
			},
			{ words: 'The braced script before the configuration is new.', removed: [], added: ['hush'] }
		]);
	});

	it('speaks of files by names that texts can read', () => {
		expect(fileKey('Guest-Terms.v2.html')).to.equal('guest_terms_v2_html');
	});
});

describe('a formula that goes over a limit', () => {
	it('is a problem in words and no exception', () => {
		const computed = evaluate('(1..90000000) | join', {});
		expect(computed.ok ? null : computed.problem.kind).to.equal('limit');
	});
});
