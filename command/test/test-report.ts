import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { NOTES } from '../../tests/programs';

/** What came of tests, read from what their runners wrote. */
interface Outcome {
	readonly passed: number;
	readonly failed: number;
	/** Each failure, with its title. */
	readonly why: readonly string[];
}

export function readMocha(report: string, name: string): Outcome {
	if (!existsSync(report)) return { passed: 0, failed: 1, why: [`${name}: did not run`] };
	const { stats, failures } = JSON.parse(readFileSync(report, 'utf8')) as {
		stats: { passes: number; failures: number };
		failures: { fullTitle: string; err: { stack?: string; message?: string } }[];
	};
	const why = failures.map(({ fullTitle, err }) => `${fullTitle}\n${err.stack ?? err.message}`);
	return { passed: stats.passes, failed: stats.failures, why };
}

interface BrowserReport {
	readonly stats: { readonly expected: number; readonly unexpected: number; readonly flaky: number };
	readonly suites: readonly Suite[];
}
interface Suite {
	readonly suites?: readonly Suite[];
	readonly specs?: readonly {
		readonly title: string;
		readonly tests: readonly {
			readonly results: readonly { readonly errors: readonly { readonly message: string }[] }[];
		}[];
	}[];
}
export function readBrowser(report: string): Outcome {
	if (!existsSync(report)) return { passed: 0, failed: 1, why: [] };
	const { stats, suites } = JSON.parse(readFileSync(report, 'utf8')) as BrowserReport;
	return {
		passed: stats.expected,
		failed: stats.unexpected + stats.flaky,
		why: suites.flatMap(failuresOf)
	};
}
const failuresOf = ({ suites = [], specs = [] }: Suite): string[] => [
	...suites.flatMap(failuresOf),
	...specs.flatMap(({ title, tests }) =>
		tests
			.flatMap(({ results }) => results)
			.flatMap(({ errors }) => errors)
			.map(({ message }) => `${title}\n${stripVTControlCharacters(message).slice(0, 4000)}`)
	)
];

/** What the pages of failed tests showed at their end: titles, outcomes and problems, and where somebody was or could not go on. */
export function whatWasShown(state: string): string[] {
	const results = join(state, 'shown');
	const folders = existsSync(results) ? readdirSync(results) : [];
	return folders.flatMap((name) => {
		const path = join(results, name, 'error-context.md');
		if (!existsSync(path)) return [];
		const lines = readFileSync(path, 'utf8').split('\n');
		const told: string[] = [];
		/** How far in what is told just now stands: what stands further in is part of it. */
		let within = Infinity;
		for (const line of lines) {
			const depth = line.search(/\S/);
			if (depth > within) told.push(line);
			else if (/^\s*- (heading|status|alert|dialog)\b/.test(line) || /\[(active|disabled)\]/.test(line)) {
				told.push(line);
				within = depth;
			} else within = Infinity;
		}
		return [[`${name} showed:`, ...told.slice(0, 60)].join('\n')];
	});
}

/** Whether each act that the OpenAPI document describes was done over the API, by what the tests noted. */
export function actsByPrograms(folder: string): { readonly words: string; readonly why: readonly string[] } {
	const notes = readdirSync(folder)
		.map((one) => join(folder, one, NOTES))
		.filter((path) => existsSync(path))
		.flatMap((path) => readFileSync(path, 'utf8').trim().split('\n'));
	const of = (what: string) =>
		new Set(notes.filter((line) => line.startsWith(`${what} `)).map((line) => line.slice(what.length + 1)));
	const [described, program, form] = [of('described'), of('program'), of('form')];
	const left = [...described].filter((act) => !program.has(act)).sort();
	const onlyAsForm = left.filter((act) => form.has(act));
	return {
		words: `${program.size} of ${described.size} acts were done over the API by a program.`,
		why: [
			...(left.length > 0 ? [`not done over the API by any test: ${left.join(', ')}`] : []),
			...(onlyAsForm.length > 0 ? [`done as a form that the API refused: ${onlyAsForm.join(', ')}`] : [])
		]
	};
}
