import { build } from '../../command/build';
import { Problem, say } from '../../command/problem';
import { soak } from '.';

const USUAL = { minutes: 30, units: 200, seed: Date.now() % 1_000_000 };
const TROUBLE_EVERY_SECONDS = 120;

/** `./limen soak [--minutes N] [--units N] [--seed N]`: ends with 1 when anything is not as it should be. */
export async function run(parameters: readonly string[]): Promise<void> {
	const given = (name: keyof typeof USUAL): number => {
		const at = parameters.indexOf(`--${name}`);
		if (at < 0) return USUAL[name];
		const value = Number(parameters[at + 1]);
		if (!(value > 0)) throw new Problem(`--${name} wants a number.`);
		return value;
	};
	const wanted = { minutes: given('minutes'), units: given('units'), seed: given('seed') };
	await build();
	say(`A soak of ${wanted.minutes} minutes with ${wanted.units} units; its seed is ${wanted.seed}.`);
	const { faults, slow } = await soak({
		...wanted,
		troubleEverySeconds: Math.min(TROUBLE_EVERY_SECONDS, wanted.minutes * 10),
		say
	});
	for (const one of slow) say(`SLOW   ${one}`);
	for (const one of faults) say(`FAULT  ${one}`);
	say(
		faults.length + slow.length === 0
			? 'All is as it should be.'
			: `${faults.length} faults, ${slow.length} slow pages.`
	);
	process.exit(faults.length + slow.length === 0 ? 0 : 1);
}
