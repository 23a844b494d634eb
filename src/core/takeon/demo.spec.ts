import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { learn, type LearntFrom } from '.';
import { NO_RULES, type Dialect, type DialectRules } from '../config';
import { fieldsOfPieces, renderWhole, type Field, type FieldType, type Known, type Piece } from '../profile';

const demo = <Read>(name: string): Read =>
	JSON.parse(readFileSync(new URL(`../../../demo/${name}`, import.meta.url), 'utf8')) as Read;
interface Part {
	readonly name: string;
	readonly fields: readonly Field[];
	readonly texts: Readonly<Partial<Record<Dialect, string>>>;
}
const PARTS = demo<readonly Part[]>('parts/parts.json');
const PROFILES =
	demo<readonly { readonly name: string; readonly parts: readonly string[] }[]>('profiles.json');
const PORTS = {
	uplink: 'p0',
	lan: 'p1',
	management: 'm0',
	...Object.fromEntries(
		Array.from({ length: 8 }, (_, n) => [n === 0 ? 'ap_feed' : `ap_feed_${n + 1}`, `q${n}`])
	)
};
/** What is the maker's own in XML: which elements tell items of a list apart. */
const { dialects } = demo<{ readonly dialects: Partial<Record<Dialect, object>> }>('packs/brackwater.json');
const rulesOf = (dialect: Dialect): DialectRules => ({ ...NO_RULES, ...dialects[dialect] });
const TRAINED = 12;
const HELD_OUT = 6;

/** Numbers that repeat from run to run and look like chance. */
let seed = 7;
const chance = (below: number): number => (seed = (seed * 48_271) % 2_147_483_647) % below;

function made({ kind, ...type }: FieldType): string {
	const byte = () => chance(250) + 1;
	const values: Partial<Record<FieldType['kind'], string>> = {
		hostname: `n${chance(1e6)}x`,
		address: `10.${byte()}.${byte()}.${byte()}`,
		prefix: `10.${byte()}.${chance(60) * 4}.0/22`,
		'interface address': `10.${byte()}.${byte()}.${byte()}/24`,
		vlan: String(chance(4000) + 2),
		number: String(chance(900) + 1),
		asn: String(64_512 + chance(1000)),
		choice: 'choices' in type ? type.choices[chance(type.choices.length)]! : '',
		text: `word-${chance(1e6)}`,
		secret: `s-${chance(1e9)}-${chance(1e9)}`,
		url: `https://h${chance(1e6)}.example/x`,
		duration: `${chance(50) + 1}m`
	};
	const value = values[kind];
	expect(value, kind).to.be.a('string');
	return value!;
}

/** A profile of the demo as one dialect has it, its uplink over fibre. */
function piecesOf(profile: string, dialect: Dialect): readonly Piece[] {
	const { parts } = PROFILES.find(({ name }) => name === profile)!;
	return parts
		.map((name) => PARTS.find((part) => part.name === name)!)
		.filter(({ name, texts }) => texts[dialect] && !/DSL|cellular/.test(name))
		.map(({ name, fields, texts }) => ({
			id: name,
			name,
			fields,
			text: readFileSync(new URL(`../../../demo/parts/${texts[dialect]}`, import.meta.url), 'utf8')
		}));
}

function unitsOf(profile: string, dialect: Dialect) {
	const pieces = piecesOf(profile, dialect);
	const { fields } = fieldsOfPieces(pieces);
	return Array.from(
		{ length: TRAINED + HELD_OUT },
		(_, at): LearntFrom & { readonly values: Record<string, string>; readonly fields: readonly Field[] } => {
			const known: Known = {
				customer: { name: 'A customer' },
				site: {
					name: `Site ${chance(1e6)}`,
					time_zone: ['Pacific/Auckland', 'Europe/Berlin'][chance(2)]!,
					uplink: 'fibre',
					provider: '',
					circuit: ''
				},
				position: { name: 'p-1', role: 'x', tunnels: [] },
				port: PORTS,
				limen: {
					public_key: 'ssh-ed25519 AAAAC3',
					call_home_host: 'limen.example',
					call_home_port: 4334,
					netconf_port: 4336
				}
			};
			const values = Object.fromEntries(
				fields
					.filter(
						({ formula, type }) => formula === undefined && type.kind !== 'table' && type.kind !== 'list'
					)
					.map(({ name, type }) => [name, made(type)])
			);
			const rendered = renderWhole({
				dialect,
				rules: rulesOf(dialect),
				pieces,
				scoped: { position: values },
				known
			});
			if (!rendered.ok)
				throw new Error(`${profile}: ${rendered.problems.map(({ message }) => message).join(' ')}`);
			return { id: `u${at}`, text: rendered.text, known, values, fields };
		}
	);
}

describe('learning the demo’s profiles from what they render', () => {
	for (const [profile, dialect] of [
		['Bakery router', 'indented'],
		['Clinic gateway', 'braced'],
		['Indoor access point', 'json'],
		['Access switch', 'xml']
	] as const)
		it(`finds ${profile} again, and renders positions that were held out`, () => {
			const all = unitsOf(profile, dialect);
			const trained = all.slice(0, TRAINED);
			const learnt = learn({ dialect, rules: rulesOf(dialect), units: trained });
			expect(learnt.proofs.filter(({ holds }) => !holds)).to.deep.equal([]);
			// Each field that the text shows is a field again, with the values that were given
			const shown = trained[0]!.fields.filter(
				({ name }) => trained[0]!.values[name] !== undefined && all[0]!.text.includes(all[0]!.values[name]!)
			);
			const given = (unit: LearntFrom) => Object.values(learnt.values[unit.id]!);
			const found = shown.filter(({ name }) =>
				trained.every(
					(unit) =>
						given(unit).includes(unit.values[name]!) ||
						learnt.fields.some(({ fallback }) => fallback === unit.values[name])
				)
			);
			expect(
				found.length / shown.length,
				`${shown.map(({ name }) => name).join()} : ${found.map(({ name }) => name).join()}\n${learnt.text}`
			).to.be.at.least(1);
			// Held out: learnt with them, their formulas are the same and their texts hold
			const more = learn({ dialect, rules: rulesOf(dialect), units: all });
			expect(more.proofs.filter(({ holds }) => !holds)).to.deep.equal([]);
			expect(more.text).to.equal(learnt.text);
			expect(more.fields.map(({ name, formula }) => [name, formula])).to.deep.equal(
				learnt.fields.map(({ name, formula }) => [name, formula])
			);
		});

	it('leaves to the library what its parts say, and proves the same', () => {
		const of = (profile: string, dialect: Dialect) =>
			learn({
				dialect,
				rules: rulesOf(dialect),
				units: unitsOf(profile, dialect).slice(0, TRAINED),
				library: piecesOf(profile, dialect)
			});
		for (const [profile, dialect, parts] of [
			['Bakery router', 'indented', ['Management access', 'Name and place', 'Time and logging']],
			['Clinic gateway', 'braced', ['Management access', 'Name and place', 'Time and logging']],
			['Indoor access point', 'json', ['Management access', 'Name and place']],
			['Access switch', 'xml', ['Management access', 'Name and place', 'Time and logging']]
		] as const) {
			const learnt = of(profile, dialect);
			expect(
				learnt.parts.map(({ name }) => name),
				profile
			).to.include.members([...parts]);
			expect(
				learnt.proofs.filter(({ holds }) => !holds),
				profile
			).to.deep.equal([]);
			// What Limen renews by itself stands in no text of its own
			expect(learnt.text).to.not.include('AAAAC3');
		}
	});
});
