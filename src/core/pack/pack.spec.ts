import { readdirSync, readFileSync } from 'node:fs';
import { expect } from 'chai';
import fc from 'fast-check';
import { comparePacks, filled, LARGEST_PACK, readAnswer, readPack, type Pack, type Talk } from '.';

const FOLDER = new URL('../../../demo/packs/', import.meta.url);
const TEXTS = readdirSync(FOLDER).map((file) => readFileSync(new URL(file, FOLDER), 'utf8'));

/** A small pack, written out so that its lines can be counted. */
const SMALL = `{
	"format": 1,
	"maker": { "id": "quill", "name": "Quill" },
	"version": "2",
	"firmware": { "quill-os": { "versions": [{ "version": "1.0" }, { "version": "1.1", "from": ["1.0"] }] } },
	"talks": {
		"console": {
			"transport": "shell",
			"shell": { "prompt": "^[a-z0-9-]+> ?$", "prepare": ["pager none"], "leave": ["bye"] },
			"errors": ["^! .*"],
			"asks": {
				"version": { "say": ["show os"], "read": { "first": "^os (?P<version>\\\\S+)$" } },
				"serial": { "say": ["show box"], "read": { "json": { "serial": "/box/serial" } } },
				"configuration": { "say": ["show all"] },
				"neighbours": {
					"say": ["show near"],
					"read": { "each": "^(?P<port>\\\\S+) sees (?P<chassis>\\\\S+)$" }
				},
				"reach": { "say": ["try {host}"], "read": { "first": "^(?P<received>\\\\d+) back$" } }
			}
		}
	},
	"models": [
		{
			"id": "q-1", "name": "Q-1", "roles": ["router"], "dialect": "set", "firmware": "quill-os", "talk": "console",
			"serial": { "template": "Qddddddd", "check": "none" }, "ports": { "uplink": "eth0" }
		}
	]
}
`;
const packOf = (text: string): Pack => {
	const read = readPack(text);
	if (!read.ok) throw new Error(`${read.problems[0]!.line}: ${read.problems[0]!.message}`);
	return read.pack;
};
const talk = (): Talk => packOf(SMALL).talks.console!;

describe('a pack', () => {
	it('is read: those of the demo, and a small one', () => {
		expect(TEXTS).to.have.length.at.least(3);
		for (const text of TEXTS) packOf(text);
		expect(packOf(SMALL).models[0]).to.deep.include({ quiet: 90, lights: [] });
		expect(packOf(`\uFEFF${SMALL}`).maker.name).to.equal('Quill');
	});

	it('that is not right is told at its line and place', () => {
		const broken: readonly (readonly [string, string, number, string, RegExp])[] = [
			['"format": 1', '"format": 2', 2, 'format', /^2 stands where 1 belongs/],
			['"version": "2",\n', '', 1, 'version', /is missing here/],
			['"quill", "name"', '"Quill!", "name"', 3, 'maker.id', /Small letters/],
			['["1.0"]', '["0.9"]', 5, 'firmware.quill-os.versions.1.from', /no version “0.9”/],
			['"shell"', '"telnet"', 8, 'talks.console.transport', /stands where/],
			[
				'"prompt": "^[a-z0-9-]+> ?$"',
				'"prompt": "["',
				9,
				'talks.console.shell.prompt',
				/^This is no pattern/
			],
			[
				'"prompt": "^[a-z0-9-]+> ?$"',
				'"prompt": "(?=a)"',
				9,
				'talks.console.shell.prompt',
				/^This is no pattern/
			],
			[
				'(?P<version>',
				'(?P<release>',
				12,
				'talks.console.asks.version.read',
				/give “version”|“release” is nothing/
			],
			['"try {host}"', '"try {place}"', 19, 'talks.console.asks.reach.say.0', /“{place}” stands for nothing/],
			['"set"', '"runic"', 25, 'models.0.dialect', /Limen does not know the dialect "runic"/],
			['"talk": "console"', '"talk": "radio"', 25, 'models.0.talk', /“radio” is not in this pack/],
			['"Qddddddd"', '"q"', 26, 'models.0.serial.template', /Capitals and digits/],
			['"ports"', '"harbours"', 26, 'models.0.harbours', /does not know this/],
			['"ports": {', '"ports": {}, "ports": {', 26, 'ports', /stands twice/]
		];
		for (const [before, after, line, place, words] of broken) {
			const text = SMALL.replace(before, after);
			expect(text, before).to.not.equal(SMALL);
			const read = readPack(text);
			const problems = read.ok ? [] : read.problems;
			const found = problems.find((one) => one.place === place);
			expect(found, `${after}: ${JSON.stringify(problems)}`).to.include({ line });
			expect(found!.message).to.match(words);
		}
		const model = /\{\n\t\t\t"id": "q-1"[^]*?\n\t\t\}/.exec(SMALL)![0];
		const twice = readPack(SMALL.replace(model, `${model}, ${model}`));
		expect(!twice.ok && twice.problems.map(({ message }) => message)).to.include(
			'The model “q-1” stands twice.'
		);
	});

	it('that is none, too long or too deep is refused in words', () => {
		for (const [text, words] of [
			['', /no JSON/],
			['null', /stands where/],
			['{"format": 1', /no JSON/],
			['['.repeat(1_000_000), /too deep/],
			[`${'{"a":'.repeat(100)}1${'}'.repeat(100)}`, /too deep/],
			[' '.repeat(LARGEST_PACK + 1), /at most 2 MB/],
			[
				SMALL.replace('"models": [', `"models": [${'1,'.repeat(5_000)}`),
				/stands where|At most|too many|length/i
			]
		] as const) {
			const read = readPack(text);
			expect(read.ok).to.equal(false);
			expect(!read.ok && read.problems.length).to.be.within(1, 100);
			expect(!read.ok && read.problems[0]!.message).to.match(words);
		}
	});

	it('is compared with the one before it, whatever the order of either', () => {
		const before = packOf(SMALL);
		expect(comparePacks(before, packOf(JSON.stringify(JSON.parse(SMALL))))).to.deep.equal([]);
		const after = packOf(
			SMALL.replace('"Q-1"', '"Q-1b"')
				.replace('show os', 'show system')
				.replace('"1.1", "from": ["1.0"]', '"1.2"')
		);
		const changes = comparePacks(before, after);
		expect(changes).to.deep.include({
			kind: 'changed',
			thing: 'the talk “console”',
			place: 'asks.version.say.0',
			before: 'show os',
			after: 'show system'
		});
		expect(
			changes.filter(({ thing }) => thing.startsWith('the model')).map(({ kind, thing }) => [kind, thing])
		).to.have.deep.members([
			['gone', 'the model “Q-1”'],
			['new', 'the model “Q-1b”']
		]);
	});
});

describe('an answer', () => {
	it('is read by its rule', () => {
		const { asks } = talk();
		expect(asks.version!.say).to.deep.equal(['show os']);
		expect(readAnswer(talk(), 'version', 'welcome\nos 1.1\n')).to.deep.include({
			ok: true,
			rows: [{ version: '1.1' }]
		});
		expect(readAnswer(talk(), 'serial', '{"box":{"serial":"Q1234567"}}')).to.deep.include({
			rows: [{ serial: 'Q1234567' }]
		});
		expect(readAnswer(talk(), 'configuration', 'set a b\n')).to.deep.include({ text: 'set a b\n' });
		expect(
			readAnswer(talk(), 'neighbours', 'eth0 sees 02:00:00:00:00:01\nnoise\neth1 sees x\n')
		).to.deep.include({
			rows: [
				{ port: 'eth0', chassis: '02:00:00:00:00:01' },
				{ port: 'eth1', chassis: 'x' }
			]
		});
		expect(readAnswer(talk(), 'neighbours', '\n')).to.deep.include({ ok: true, rows: [] });
	});

	it('says that there is none only in the words that its pack knows for it', () => {
		expect(readAnswer(talk(), 'neighbours', 'nobody\n')).to.have.property('ok', false);
		const knowing = talk();
		const neighbours = {
			...knowing.asks.neighbours!,
			read: { each: '^x (?P<port>a) (?P<chassis>b)$', none: '^nobody$' }
		};
		const asks = { ...knowing.asks, neighbours };
		expect(readAnswer({ ...knowing, asks }, 'neighbours', 'nobody\n')).to.deep.include({
			ok: true,
			rows: []
		});
		expect(readAnswer({ ...knowing, asks }, 'neighbours', 'noone\n')).to.have.property('ok', false);
	});

	it('that cannot be read is told in the unit’s own words, never taken for one', () => {
		const problem = (ask: Parameters<typeof readAnswer>[1], printed: string) => {
			const answer = readAnswer(talk(), ask, printed);
			return answer.ok ? 'read' : answer.problem;
		};
		expect(problem('version', 'Versión 1.1')).to.equal(
			'What it answered could not be read as which firmware it runs: “Versión 1.1”.'
		);
		expect(problem('version', 'os 1.1\n! no such thing\n')).to.match(
			/answered with an error: “! no such thing”/
		);
		expect(problem('serial', '{"box":{}}')).to.match(/could not be read/);
		expect(problem('serial', '{"box":')).to.match(/could not be read/);
		expect(problem('serial', '['.repeat(100_000))).to.match(/could not be read/);
		expect(problem('tunnels', '')).to.equal('A unit of this model cannot be asked its tunnels.');
	});

	it('is bounded and comes in time whatever is printed', () => {
		fc.assert(
			fc.property(fc.string({ maxLength: 200 }), (printed) => {
				for (const ask of ['version', 'serial', 'neighbours', 'reach'] as const)
					expect(readAnswer(talk(), ask, printed)).to.have.property('ok');
			})
		);
		const many = readAnswer(talk(), 'neighbours', 'eth0 sees x\n'.repeat(20_000));
		expect(many.ok && many.rows.length).to.equal(2_000);
	});

	it('is asked for about hosts and prefixes only: nothing ends the line', () => {
		expect(filled('try {host}', { host: 'hub.example' })).to.equal('try hub.example');
		expect(filled('try {host}', { host: '2001:db8::1' })).to.equal('try 2001:db8::1');
		for (const host of ['', 'a b', 'a\nreboot', '-x', 'a;b', '$(x)'])
			expect(filled('try {host}', { host }), host).to.equal(null);
		expect(filled('try {host}', {})).to.equal(null);
		expect(filled('get { "a": 1 }', {})).to.equal('get { "a": 1 }');
	});
});
