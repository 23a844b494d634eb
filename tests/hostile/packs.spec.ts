import { expect } from 'chai';
import { FENNICK_PACK, fennickPack } from '../fennick';
import { address, anAdministrator, answerOf, get, post, unwalled, type TestPerson } from '../server/making';
import { survives } from './attack';

const deep = (open: string, close: string, levels: number) => open.repeat(levels) + close.repeat(levels);
/** What is no pack, or a hostile one; and what is said of it. */
const HOSTILE: readonly (readonly [string, string, RegExp])[] = [
	['a million levels', deep('[', ']', 500_000), /Nested too deep|no JSON/],
	[
		'a million levels in a place that is known',
		FENNICK_PACK.replace('"notes": "', `"notes": ${deep('[', ']', 200_000)}, "x": "`),
		/Nested too deep|no JSON/
	],
	[
		'a model twice',
		FENNICK_PACK.replace('"models": [', `"models": [${/"models": \[([^]*)\n\t\]/.exec(FENNICK_PACK)![1]},`),
		/stands twice/
	],
	[
		'a name of the language’s own',
		FENNICK_PACK.replace('"talks": {', '"talks": { "__proto__": {}, "constructor": {},'),
		/can be no name/
	],
	['a pattern that looks back', FENNICK_PACK.replace('^% .*', '(a)\\\\1'), /pattern/i],
	[
		'a pattern that grows without end',
		FENNICK_PACK.replace('^% .*', '((((a{1,100}){1,100}){1,100}){1,100})'),
		/pattern/i
	],
	['a send that says nothing', FENNICK_PACK.replace('"load": ["{line}"]', '"load": []'), /Nothing is said/],
	[
		'a word that stands for nothing',
		FENNICK_PACK.replace('"confirm": ["keep"]', '"confirm": ["{configuration}"]'),
		/stands for nothing/
	]
];

describe('packs from outside', () => {
	let person: TestPerson;
	before(async () => (person = await anAdministrator()));
	const count = async () => (await unwalled()('pack').count())[0]!.count;

	it('are refused in words when they are none, and nothing is loaded', () =>
		survives(async () => {
			const before = await count();
			for (const [what, pack, words] of HOSTILE)
				for (const act of ['compare', 'load']) {
					const answer = await answerOf(await post(`/profiles/makers/load?/${act}`, { pack }, {}, person));
					expect(answer.type, what).to.equal('failure');
					expect(answer.data!.problem, what).to.match(words);
				}
			expect(await count()).to.equal(before);
		}));

	it('of 20 MB are refused, and nobody else waits for it', () =>
		survives(async () => {
			const pack = FENNICK_PACK.replace('"notes": "', `"notes": "${'x'.repeat(20 * 1024 * 1024)}`);
			const body = new FormData();
			body.set('pack', pack);
			const refused = fetch(address('/profiles/makers/load?/load'), {
				method: 'POST',
				headers: { cookie: person.cookie, origin: address(''), 'x-sveltekit-action': 'true' },
				body
			}).catch((error: Error) => error);
			const others = await Promise.all(
				Array.from({ length: 20 }, () => get('/profiles/makers', person).then(({ status }) => status))
			);
			expect(new Set(others)).to.deep.equal(new Set([200]));
			const answer = await refused;
			if (answer instanceof Response) expect(answer.status).to.be.oneOf([200, 413]);
			expect(await unwalled()('pack').whereRaw('length(text) > 1000000').first()).to.equal(undefined);
		}));

	it('with patterns that take exponential time elsewhere read hostile output at once', () =>
		survives(async () => {
			const pack = fennickPack((text) =>
				text.replace('^Software: +(?P<version>\\\\S+)', '^(?P<version>(a+)+)$')
			);
			const asked = { pack, model: 'fn-10', ask: 'version', printed: `${'a'.repeat(50_000)}!` };
			const answer = await answerOf(await post('/profiles/makers/load?/try', asked, {}, person));
			expect(answer.data!.trial).to.deep.include({ ok: false });
		}));
});
