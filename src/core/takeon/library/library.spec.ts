import { expect } from 'chai';
import fc from 'fast-check';
import { learn, type Learnt } from '..';
import { fieldsSchema, type Field, type Piece } from '../../profile';
import * as v from 'valibot';

const part = (id: string, text: string, fields: readonly Partial<Field>[] = []): Piece => ({
	id,
	name: id,
	text,
	fields: v.parse(fieldsSchema, fields)
});
const TIME = part(
	'time',
	'time-server {{ time_server }}\n{% if log_server %}\nlog-to {{ log_server }}\n{% endif %}\n',
	[
		{ name: 'time_server', type: { kind: 'text' } },
		{ name: 'log_server', type: { kind: 'text' }, need: 'optional' }
	]
);
const FILTER = part(
	'filter',
	'filter in\n  accept established\n{% for range in ranges %}\n  accept ssh from {{ range }}\n{% endfor %}\n  drop everything\n',
	[{ name: 'ranges', type: { kind: 'list', of: { kind: 'prefix' } }, need: 'optional' }]
);
const LAN = part('lan', 'segment lan\n  own-address {{ lan | host_interface: 1 }}\n', [
	{ name: 'lan', type: { kind: 'prefix' } }
]);
const LOGIN = part('login', 'account {{ who }}\n  secret {{ word | quoted }}\n', [
	{ name: 'who', type: { kind: 'text' }, fallback: 'keeper' },
	{ name: 'word', type: { kind: 'secret' } }
]);
const LIBRARY = [TIME, FILTER, LAN, LOGIN];

const learnt = (texts: readonly string[], library: readonly Piece[] = LIBRARY): Learnt =>
	learn({ dialect: 'indented', library, units: texts.map((text, at) => ({ id: `u${at}`, text })) });
const used = ({ parts }: Learnt) => parts.map(({ id, statements }) => [id, statements]);
const holds = ({ proofs }: Learnt) => proofs.every((proof) => proof.holds);

describe('what a library says of what units run', () => {
	it('is left to it: what all give a part alike is the profile’s, the rest the units’, and nothing is learnt anew', () => {
		const result = learnt([
			'hostname a\ntime-server time.example\nlog-to log.example\naccount keeper\n  secret "one word"\n',
			'hostname b\ntime-server time.example\naccount keeper\n  secret "another word"\n'
		]);
		expect(used(result)).to.deep.equal([
			['login', 2],
			['time', 2]
		]);
		expect(result.text.trim()).to.equal('hostname {{ hostname }}');
		expect(result.shared).to.deep.equal({ time_server: 'time.example' });
		expect(result.values).to.deep.equal({
			u0: { hostname: 'a', log_server: 'log.example', word: 'one word' },
			u1: { hostname: 'b', word: 'another word' }
		});
		expect(holds(result)).to.equal(true);
	});

	it('is lists as long as they are, whole blocks, and no statement twice', () => {
		const filter = (...ranges: string[]) =>
			`filter in\n  accept established\n${ranges.map((range) => `  accept ssh from ${range}\n`).join('')}  drop everything\n`;
		const result = learnt(
			[filter('10.0.0.0/8', '192.0.2.0/24'), filter()],
			[FILTER, { ...FILTER, id: 'same' }]
		);
		expect(used(result)).to.deep.equal([['filter', 5]]);
		expect(result.toParts).to.deep.equal({ u0: { ranges: '10.0.0.0/8, 192.0.2.0/24' }, u1: {} });
		expect(holds(result)).to.equal(true);
		const more = learnt([filter('10.0.0.0/8').replace('  drop', '  accept all\n  drop')]);
		expect(used(more)).to.deep.equal([]);
	});

	it('is not there where one unit has it otherwise, a value does not fit, or filters write it', () => {
		expect(used(learnt(['time-server a', 'time-source b']))).to.deep.equal([]);
		expect(
			used(learnt(['filter in\n  accept established\n  accept ssh from nowhere\n  drop everything\n']))
		).to.deep.equal([]);
		expect(used(learnt(['segment lan\n  own-address 10.0.0.1/24\n']))).to.deep.equal([]);
	});

	it('gives its fields names that nothing learnt takes', () => {
		const result = learnt([
			'account keeper\n  secret "xxxxxxxx"\nword who\n',
			'account keeper\n  secret "yyyyyyyy"\nword they\n'
		]);
		expect(used(result)).to.deep.equal([['login', 2]]);
		expect(result.text).to.match(/^word \{\{ (?!word )\w+ \}\}/);
		expect(holds(result)).to.equal(true);
	});

	it('leaves every proof that holds as it is, whatever units run', () => {
		const word = fc.constantFrom('a', 'b', '10.0.0.0/8', '192.0.2.1/24', '"q r"');
		const statement = fc.oneof(
			word.map((one) => `time-server ${one}`),
			word.map((one) => `log-to ${one}`),
			word.map((one) => `account ${one}\n  secret ${one}`),
			fc
				.array(word, { maxLength: 3 })
				.map(
					(all) =>
						`filter in\n  accept established\n${all.map((one) => `  accept ssh from ${one}\n`).join('')}  drop everything`
				),
			word.map((one) => `segment lan\n  own-address ${one}`)
		);
		const unit = fc.uniqueArray(statement, { maxLength: 5, selector: (one) => one.split(/[\s]/)[0] });
		fc.assert(
			fc.property(fc.array(unit, { minLength: 1, maxLength: 4 }), (all) => {
				const texts = all.map((one) => `${one.join('\n')}\n`);
				const [plain, cut] = [learnt(texts, []), learnt(texts)];
				const held = new Map(cut.proofs.map((proof) => [proof.id, proof.holds]));
				for (const proof of plain.proofs) if (proof.holds) expect(held.get(proof.id)).to.equal(true);
				expect(cut.unread).to.deep.equal(plain.unread);
			}),
			{ numRuns: 200 }
		);
	});
});

describe('what is Limen’s own in what units run', () => {
	it('is renewed by it, and stands in no text', () => {
		const known = {
			limen: { public_key: 'ssh-ed25519 AAAAC3Nz', call_home_host: 'home.example', call_home_port: 4334 }
		};
		const unit = (id: string) => ({
			id,
			known,
			text: `hostname ${id}\ncaretaker limen\n  public-key "ssh-ed25519 AAAAC3Nz"\ndial-home\n  host home.example\n  port 4334\n`
		});
		const result = learn({ dialect: 'indented', units: [unit('one'), unit('two')] });
		expect(holds(result)).to.equal(true);
		expect(result.text).to.not.match(/AAAAC3Nz|home\.example|4334/);
		expect(result.fields.flatMap(({ formula }) => formula ?? []).sort()).to.deep.equal([
			'limen.call_home_host',
			'limen.call_home_port',
			'limen.public_key'
		]);
		expect(result.values).to.deep.equal({ one: { hostname: 'one' }, two: { hostname: 'two' } });
		// Whoever does not know Limen’s key has the same number or name by chance
		const others = ['a', 'b'].map((id) => ({ id, known, text: 'mtu 4334\nlog-to home.example\n' }));
		expect(learn({ dialect: 'indented', units: others }).text).to.contain('mtu 4334\nlog-to home.example');
	});
});
