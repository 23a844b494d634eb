import { readSettings } from '../../src/lib/server/settings';
import { serverCertificate } from './certificates';
import { askDatabase } from './database';
import { wordsOf, wrong, type Finding } from './finding';
import { clock, disk, files, isUp, keys, mail, outside, ports } from './machine';

/** Looks at everything that Limen stands on. Changes nothing; each check has an end, whatever does not answer. */
export async function examine(): Promise<readonly Finding[]> {
	let settings;
	try {
		settings = readSettings();
	} catch (error) {
		return [wrong('settings', wordsOf(error), 'Correct them; the README lists each with what it may be.')];
	}
	const up = await isUp(settings);
	const database = await askDatabase(settings, up);
	return [
		...(await ports(settings, up)),
		...database.findings,
		disk(settings),
		keys(settings),
		files(),
		...(await clock(settings, database.now, database.latest)),
		serverCertificate(settings),
		await mail(settings),
		...(await outside(settings))
	];
}

const MARKS = { well: 'well ', watch: 'watch', wrong: 'WRONG' } as const;

/** `./limen doctor`: says how everything stands and what to do; ends with 1 where something is wrong. With `--json` for programs. */
export async function doctor(parameters: readonly string[]): Promise<void> {
	const findings = await examine();
	if (parameters.includes('--json')) console.log(JSON.stringify(findings, null, '\t'));
	else
		for (const { what, state, words, todo } of findings) {
			console.log(`${MARKS[state]}  ${what}: ${words}`);
			if (todo) console.log(`       ${todo}`);
		}
	const count = (state: Finding['state']) => findings.filter((one) => one.state === state).length;
	if (!parameters.includes('--json'))
		console.log(`\n${count('well')} well, ${count('watch')} to watch, ${count('wrong')} wrong.`);
	process.exitCode = count('wrong') > 0 ? 1 : 0;
}
