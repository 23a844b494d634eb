import { checkCharacterHolds, type CheckScheme } from './check-character';

/**
 * What a model's serial numbers look like. In `template`, `d` is a digit, `l` a letter, `a` a letter
 * or digit, `c` the check character (last, if any); every other character stands for itself.
 */
export interface SerialPattern {
	readonly template: string;
	readonly check: CheckScheme;
}

export interface SerialModel {
	readonly id: string;
	readonly name: string;
	readonly serial: SerialPattern;
}

/** A serial that would be valid, and which characters (0-based places) were read as a look-alike. */
export interface SerialRepair {
	readonly serial: string;
	readonly modelId: string;
	readonly changes: readonly { readonly place: number; readonly from: string; readonly to: string }[];
}

export type SerialReading =
	| { readonly kind: 'match'; readonly serial: string; readonly modelIds: readonly string[] }
	| { readonly kind: 'no-match'; readonly serial: string; readonly repairs: readonly SerialRepair[] };

/** Characters that are mistaken for one another on labels and over the telephone. */
const LOOK_ALIKES = ['0OQD', '1IL', '8B', '5S', '2Z', '6G'] as const;
/** More characters misread than this is another serial, not a misreading. */
const MOST_CHANGES = 3;
const MOST_REPAIRS = 4;

const lookAlikesOf = new Map<string, string[]>();
for (const family of LOOK_ALIKES)
	for (const character of family)
		lookAlikesOf.set(
			character,
			[...family].filter((other) => other !== character)
		);

const firstOfFamily = new Map<string, string>(
	LOOK_ALIKES.flatMap((family) => [...family].map((character) => [character, family[0]!] as const))
);
/** The same as two texts of equal length, for a database to translate by: from each character to the first of its family. */
export const LOOK_ALIKE_FOLD = {
	from: [...firstOfFamily.keys()].join(''),
	to: [...firstOfFamily.values()].join('')
} as const;
/** Upper-case text with every character replaced by the first of those it is mistaken for: to compare what was read aloud. */
export const foldLookAlikes = (text: string): string =>
	[...text].map((character) => firstOfFamily.get(character) ?? character).join('');

const fits = (character: string, place: string): boolean => {
	const digit = character >= '0' && character <= '9';
	if (place === 'd') return digit;
	const letter = character >= 'A' && character <= 'Z';
	if (place === 'l') return letter;
	return place === 'a' || place === 'c' ? digit || letter : character === place;
};

/** A serial as we keep it: upper case, without spaces and without the dashes people group it with. */
export const normalSerial = (text: string): string => text.toUpperCase().replace(/[\s\-_]/g, '');

/** Whether a normal serial obeys the pattern, check character included. */
export function serialFits(serial: string, pattern: SerialPattern): boolean {
	const { template } = pattern;
	if (serial.length !== template.length) return false;
	for (let i = 0; i < template.length; i++) if (!fits(serial[i]!, template[i]!)) return false;
	return checkCharacterHolds(serial, pattern.check);
}

/**
 * Reads a serial number against the known models. When none fits, says which look-alike characters
 * would make it valid, fewest changes first.
 * Law: every repair fits its model, has the same length, and differs only by look-alikes.
 */
export function readSerial(text: string, models: readonly SerialModel[]): SerialReading {
	const serial = normalSerial(text);
	const modelIds = fittingModels(serial, models);
	if (modelIds.length > 0) return { kind: 'match', serial, modelIds };
	const repairs = models
		.flatMap((model) => repairsFor(serial, model))
		.sort((a, b) => a.changes.length - b.changes.length || a.serial.localeCompare(b.serial))
		.slice(0, MOST_REPAIRS);
	return { kind: 'no-match', serial, repairs };
}

/** The models whose pattern a normal serial obeys: what `readSerial` begins with, cheap enough for every word of a list. */
export const fittingModels = (serial: string, models: readonly SerialModel[]): string[] =>
	models.filter((model) => serialFits(serial, model.serial)).map((model) => model.id);

/** The model whose serial numbers look like this normal one, whatever its check character says. */
export const modelShapedLike = (serial: string, models: readonly SerialModel[]): SerialModel | undefined =>
	models.find(
		({ serial: { template } }) =>
			template.length === serial.length && [...serial].every((character, i) => fits(character, template[i]!))
	);

/**
 * What to tell a person about a serial that fits no model: the nearest model's own reason.
 * Returns a sentence without the serial in it.
 */
export function explainSerial(serial: string, models: readonly SerialModel[]): string {
	const normal = normalSerial(serial);
	if (!/^[0-9A-Z]+$/.test(normal)) return 'A serial number has letters A to Z and digits only.';
	const sameLength = models.filter((model) => model.serial.template.length === normal.length);
	if (sameLength.length === 0) {
		const lengths = [...new Set(models.map((model) => model.serial.template.length))].sort((a, b) => a - b);
		return `It has ${normal.length} characters; serial numbers here have ${lengths.join(' or ')}.`;
	}
	const shaped = modelShapedLike(normal, models);
	if (shaped) return `The check character does not agree for model ${shaped.name}: one character is wrong.`;
	return 'It fits the serial pattern of no known model.';
}

/** Serial numbers are read in groups of four. */
export const groupSerial = (serial: string): string => serial.replace(/(.{4})(?=.)/g, '$1 ');

function repairsFor(serial: string, model: SerialModel): SerialRepair[] {
	const { template } = model.serial;
	if (serial.length !== template.length) return [];
	const choices: string[][] = [];
	let forced = 0;
	for (let i = 0; i < template.length; i++) {
		const character = serial[i]!;
		const others = (lookAlikesOf.get(character) ?? []).filter((other) => fits(other, template[i]!));
		if (fits(character, template[i]!)) choices.push([character, ...others]);
		else if (others.length === 0 || ++forced > MOST_CHANGES) return [];
		else choices.push(others);
	}
	const repairs: SerialRepair[] = [];
	const walk = (place: number, built: string, changed: number): void => {
		if (changed > MOST_CHANGES) return;
		if (place < choices.length) {
			for (const choice of choices[place]!)
				walk(place + 1, built + choice, changed + (choice === serial[place] ? 0 : 1));
		} else if (changed > 0 && checkCharacterHolds(built, model.serial.check))
			repairs.push({ serial: built, modelId: model.id, changes: changesBetween(serial, built) });
	};
	walk(0, '', 0);
	return repairs;
}

const changesBetween = (from: string, to: string): SerialRepair['changes'] =>
	[...from].flatMap((character, place) =>
		character === to[place] ? [] : [{ place, from: character, to: to[place]! }]
	);
