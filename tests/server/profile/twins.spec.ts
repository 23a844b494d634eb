import { expect } from 'chai';
import { KINDS, PLANTS, type Kind } from './twin-plants';
import { TwinWorlds } from './twin-worlds';

/** So many sites are switched on at one go: the machine is to be busy, not drowned. */
const AT_ONCE = 6;
const SEED = Number(process.env.LIMEN_TEST_SEED ?? Date.now() % 1_000_000);
/** `test long` asks for 240. */
const COUNT = Number(process.env.LIMEN_TEST_WORLDS ?? 0);

const AT_A_HUB = 40;

/** Every fault once, with ten sites without; or half of so many, as many of each kind. */
function faultsWanted() {
	if (COUNT === 0) return [...Array.from({ length: 10 }, () => null), ...PLANTS];
	const kinds = KINDS.filter((kind) => kind !== 'none');
	return Array.from({ length: COUNT }, (_, index) => {
		if (index % 2 === 0) return null;
		const turn = (index - 1) / 2;
		const plants = PLANTS.filter(({ kind }) => kind === kinds[turn % kinds.length]);
		return plants[Math.floor(turn / kinds.length) % plants.length]!;
	});
}

const FAULTS = faultsWanted();

describe(`rehearsals beside what units then do (seed ${SEED})`, function () {
	this.timeout(1_800_000);
	const found: { readonly kind: Kind; readonly words: string; readonly agrees: boolean }[] = [];

	/** Some sites in a yard and at a hub of their own, from planning to the last of them that has ended. */
	async function rehearseAndRun(worlds: TwinWorlds): Promise<void> {
		await worlds.begin();
		const waiting = [...worlds.worlds];
		const work = async (): Promise<void> => {
			for (let world = waiting.shift(); world; world = waiting.shift()) {
				const { said, happened } = await worlds.run(world);
				const differing = [...happened].filter(([name, words]) => said.get(name) !== words);
				found.push({
					kind: world.kind,
					agrees: differing.length === 0,
					words: `${world.name}, ${world.fault || 'no fault'} (${world.uplink}; ${world.places.map(({ name, model, version }) => `${name} ${model} ${version}`).join(', ')}): ${differing.map(([name, words]) => `${name} was said to be “${said.get(name)}” and was “${words}”`).join('; ')}`
				});
			}
		};
		await Promise.all(Array.from({ length: AT_ONCE }, work)).finally(() => worlds.end());
	}

	before(async () => {
		for (let from = 0; from < FAULTS.length; from += AT_A_HUB)
			await rehearseAndRun(new TwinWorlds(SEED + from, FAULTS.slice(from, from + AT_A_HUB)));
	});

	it('agree, in step, line and checks', () => {
		const table = KINDS.map((kind) => {
			const own = found.filter((one) => one.kind === kind);
			const right = own.filter(({ agrees }) => agrees).length;
			return { kind, worlds: own.length, right, share: right / own.length };
		});
		console.table(table.map(({ share, ...row }) => ({ ...row, share: `${(100 * share).toFixed(1)} %` })));
		const disagreements = found.filter(({ agrees }) => !agrees).map(({ words }) => words);
		for (const words of disagreements) console.log(words);
		expect(found).to.have.length(FAULTS.length);
		for (const { kind, share } of table)
			expect(share, `${kind}\n${disagreements.join('\n')}`).to.be.at.least(kind === 'none' ? 0.97 : 0.9);
	});
});
