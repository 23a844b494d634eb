import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** The units of a yard's file, each with the text of the configuration file that it names beside it. */
export function unitsOf(file: string): unknown {
	const units = JSON.parse(readFileSync(file, 'utf8')) as { readonly configurationFile?: string }[];
	return units.map(({ configurationFile, ...unit }) =>
		configurationFile === undefined
			? unit
			: { ...unit, configuration: readFileSync(join(dirname(file), configurationFile), 'utf8') }
	);
}
