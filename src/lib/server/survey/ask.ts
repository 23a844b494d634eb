import { parseAddress, printAddress } from '../../../core/address';
import { readMac, serialFits } from '../../../core/intake';
import type { Ask, Pack, PackModel, Talk } from '../../../core/pack';
import type { Groups } from '../../../core/pattern';
import { maskSecrets } from '../../../core/profile';
import { heardOf, type Heard, type Sighting } from '../../../core/survey';
import { isGreeting } from '../../../core/terminal';
import { cleanText, counted } from '../../../core/text';
import { ConnectionBroke, Dialogue, greetingOf, type Entered } from '../connections';
import { currentPack } from '../packs';

/** What something at an address said when it was asked what it is, and whom it hears. */
export interface Said extends Pick<
	Sighting,
	'outcome' | 'words' | 'maker' | 'model' | 'serial' | 'version' | 'name' | 'mac' | 'heard' | 'speeds'
> {
	readonly stations: readonly LearntStation[];
}
export interface LearntStation {
	readonly mac: string;
	readonly port: string;
	readonly address: string | null;
}
export const NOTHING_SAID: Said = {
	outcome: 'not understood',
	words: '',
	maker: null,
	model: null,
	serial: null,
	version: null,
	name: null,
	mac: null,
	heard: [],
	speeds: {},
	stations: []
};

/** Of one unit no more is kept. */
const [MOST_HEARD, MOST_STATIONS, LONGEST] = [500, 5_000, 200];
/** Of the packs that do not fit, the likeliest are told of. */
const MOST_ANSWERS = 3;
const short = (text: string | undefined): string =>
	cleanText(text ?? '')
		.trim()
		.slice(0, LONGEST);

/** A way of talking that a pack knows, with the models that talk so. */
interface Tongue {
	readonly maker: string;
	readonly talk: Talk;
	readonly models: readonly PackModel[];
	/** Whether what was heard of it before speaks for this one. */
	readonly isHinted: boolean;
}
const TRANSPORTS: readonly Talk['transport'][] = ['exec', 'netconf', 'shell'];

/** All ways of talking that can tell a serial number: the likeliest first, and those last that wait longest in vain. */
async function tonguesFor(makers: readonly string[], hint: string): Promise<readonly Tongue[]> {
	const packs = (await Promise.all(makers.map(currentPack))).filter((pack): pack is Pack => pack !== null);
	return packs
		.flatMap((pack) =>
			Object.entries(pack.talks).map(([name, talk]): Tongue => {
				const models = pack.models.filter((model) => model.talk === name);
				const words = [pack.maker.name, ...models.map((model) => model.name)];
				return {
					maker: pack.maker.id,
					talk,
					models,
					isHinted: words.some((word) => hint.toLowerCase().includes(word.toLowerCase()))
				};
			})
		)
		.filter(({ talk, models }) => talk.asks.serial && models.length > 0)
		.sort(
			(a, b) =>
				Number(b.isHinted) - Number(a.isHinted) ||
				TRANSPORTS.indexOf(a.talk.transport) - TRANSPORTS.indexOf(b.talk.transport) ||
				(a.maker < b.maker ? -1 : 1)
		);
}

/**
 * Finds out what lets in at an address, by asking it for its serial number in each way that a pack knows, until an answer is one
 * of a model’s; then asks what it runs and whom it hears. `enter` opens another connection where one was hung up over a question.
 * Only what changes nothing is said. What could not be read is told in words, and nothing is made of it.
 */
export async function askWhatItIs(
	{
		makers,
		hint,
		privileges
	}: { readonly makers: readonly string[]; readonly hint: string; readonly privileges: string | null },
	enter: () => Promise<Entered | null>
): Promise<Said> {
	let over = await enter();
	const answers: string[] = [];
	const tongues = await tonguesFor(makers, hint);
	const shells = tongues.flatMap(({ talk }) => talk.shell ?? []);
	/** What its command line shows by itself; null while nobody looked. */
	let greeting: string | null = null;
	// Each twice where the line was hung up over it: that may have been over what was said before
	const turns = tongues.flatMap((tongue) => [
		{ tongue, isAgain: false },
		{ tongue, isAgain: true }
	]);
	let hungUp = false;
	for (const { tongue, isAgain } of turns) {
		if (isAgain && !hungUp) continue;
		hungUp = false;
		if (over && !over.isThere()) over = await enter();
		if (!over)
			return {
				...NOTHING_SAID,
				outcome: 'broke off',
				words: 'It hung up over a question, and does not let in again.'
			};
		const { shell } = tongue.talk;
		if (shell) {
			if (greeting === null) {
				greeting = await greetingOf(over.client, shells);
				if (!shells.some((one) => isGreeting(one, greeting!)))
					answers.push(
						greeting === ''
							? 'It shows no command line.'
							: `Its command line begins with “${short(greeting)}”, as no pack says.`
					);
				// What was opened to be looked at may have been all that it opens
				if (!over.isThere()) over = await enter();
			}
			// Nothing is typed at one that waits with another prompt
			if (!over || !isGreeting(shell, greeting)) continue;
		}
		const dialogue = new Dialogue(over, tongue.talk, () => Promise.resolve(privileges));
		try {
			const { rows } = await dialogue.read('serial');
			const identity = rows[0]!;
			const model = modelOf(tongue, identity);
			if (model) return await askMore(dialogue, tongue, model, identity);
			answers.push(`As ${tongue.maker}: ${short(identity.serial)} is no serial number of that maker’s.`);
		} catch (error) {
			hungUp = error instanceof ConnectionBroke;
			// The next one may fit
			if (isAgain || !hungUp)
				answers.push(`As ${tongue.maker}: ${short(maskSecrets((error as Error).message))}`);
		} finally {
			await dialogue.end();
		}
	}
	return {
		...NOTHING_SAID,
		words:
			`It lets in, and no pack knows how to talk to it. ${answers.slice(0, MOST_ANSWERS).join(' ')}`.trim()
	};
}

/** The model whose serial numbers look like this one; of several the one that it says it is. */
function modelOf({ models }: Tongue, { serial, model }: Groups): PackModel | undefined {
	const fitting = models.filter((one) => serialFits((serial ?? '').toUpperCase(), one.serial));
	return fitting.find(({ name }) => name.toLowerCase() === model?.trim().toLowerCase()) ?? fitting[0];
}

async function askMore(
	dialogue: Dialogue,
	{ maker, talk }: Tongue,
	model: PackModel,
	identity: Groups
): Promise<Said> {
	const problems: string[] = [];
	const rowsOf = async (ask: Ask): Promise<readonly Groups[]> => {
		if (!talk.asks[ask]) return [];
		try {
			return (await dialogue.read(ask)).rows;
		} catch (error) {
			problems.push(short(maskSecrets((error as Error).message)));
			return [];
		}
	};
	const [version] = await rowsOf('version');
	const neighbours = await rowsOf('neighbours');
	const counters = neighbours.length > 0 ? await rowsOf('counters') : [];
	const learnt = await rowsOf('learnt');
	if (neighbours.length > MOST_HEARD)
		problems.push(`It hears ${counted(neighbours.length, 'neighbour')}; ${MOST_HEARD} are kept.`);
	return {
		outcome: 'in',
		words: problems.join(' ').slice(0, 1000),
		maker,
		model: model.id,
		serial: short(identity.serial).toUpperCase(),
		version: short(version?.version) || null,
		name: short(identity.name) || null,
		mac: readMac(identity.mac ?? ''),
		heard: neighbours.slice(0, MOST_HEARD).map(heardRow),
		speeds: Object.fromEntries(
			counters.slice(0, MOST_HEARD).flatMap(({ port, speed }) => {
				const number = Number.parseInt(speed ?? '', 10);
				return port && number > 0 ? [[short(port), number]] : [];
			})
		),
		stations: learnt.flatMap(stationRow).slice(0, MOST_STATIONS)
	};
}

const addressIn = (text: string | undefined): string => {
	const read = parseAddress((text ?? '').trim());
	return read ? printAddress(read) : '';
};
const heardRow = (row: Groups): Heard =>
	heardOf(short(row.port), {
		chassis: short(row.chassis),
		farPort: short(row.neighbour_port),
		name: short(row.name),
		description: short(row.description),
		address: addressIn(row.address)
	});
function stationRow(row: Groups): LearntStation[] {
	const mac = readMac(row.mac ?? '');
	return mac === null ? [] : [{ mac, port: short(row.port), address: addressIn(row.address) || null }];
}
