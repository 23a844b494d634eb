import { foldLookAlikes } from '../intake';

/** A claimed unit without a position, and a position without a unit, as somebody speaks of them. */
export interface SpokenUnit {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly customerId: string;
	/** The roles that its model can serve in. */
	readonly roles: readonly string[];
}
export interface SpokenPosition {
	readonly id: string;
	readonly name: string;
	readonly siteName: string;
	readonly locality: string;
	readonly customerId: string;
	readonly roleId: string;
	/** Milliseconds since 1970; null when none is agreed. */
	readonly appointmentAt: number | null;
}
export interface LikelyPair<Unit extends SpokenUnit, Position extends SpokenPosition> {
	readonly unit: Unit;
	readonly position: Position;
	/** The words that were heard in neither; empty when all fit. */
	readonly unheard: readonly string[];
	/** Both were named, everything fits, and no other pair fits as well. */
	readonly sure: boolean;
}

const MOST_PAIRS = 3;
const SHORTEST_PIECE = 2;

/** The words of what somebody typed while listening, each worth looking for. */
export const spokenWords = (text: string): readonly string[] => [
	...new Set(
		text
			.toLowerCase()
			.split(/[\s,;]+/)
			.map((word) => word.replace(/[^\p{L}\p{N}-]/gu, ''))
			.filter((word) => word.length >= SHORTEST_PIECE)
	)
];

/**
 * The likeliest pairs of a unit and a position for what was said on the telephone: parts of a serial
 * number, of a MAC address, of a site's or a position's name, in any order, with characters that sound or
 * look alike. Laws: the order of the words means nothing; a pair is of one customer, and the unit's model
 * can serve the position's role; no pair leaves more words unheard than one that comes after it; of those
 * found at most the first is sure.
 */
export function likeliestPairs<Unit extends SpokenUnit, Position extends SpokenPosition>(
	text: string,
	units: readonly Unit[],
	positions: readonly Position[],
	now: number
): readonly LikelyPair<Unit, Position>[] {
	const words = spokenWords(text);
	if (words.length === 0) return [];
	const heardUnits = units.map((unit) => ({ unit, heard: words.map((word) => heardInUnit(word, unit)) }));
	const heardPositions = positions.map((position) => ({
		position,
		heard: words.map((word) => heardInPosition(word, position))
	}));
	const pairs = heardUnits.flatMap(({ unit, heard: inUnit }) =>
		heardPositions
			.filter(
				({ position }) => position.customerId === unit.customerId && unit.roles.includes(position.roleId)
			)
			.map(({ position, heard: inPosition }) => {
				const best = words.map((_, index) => Math.max(inUnit[index]!, inPosition[index]!));
				return {
					unit,
					position,
					unheard: words.filter((_, index) => best[index] === 0),
					strength: best.reduce((sum, one) => sum + one, 0),
					// Somebody on the telephone speaks of both, most likely
					both: inUnit.some(Boolean) && inPosition.some(Boolean)
				};
			})
	);
	const best = pairs
		.filter(({ strength }) => strength > 0)
		.sort(
			(a, b) =>
				a.unheard.length - b.unheard.length ||
				Number(b.both) - Number(a.both) ||
				b.strength - a.strength ||
				urgency(a.position, now) - urgency(b.position, now) ||
				(a.position.siteName < b.position.siteName
					? -1
					: a.position.siteName > b.position.siteName
						? 1
						: 0) ||
				(a.position.name < b.position.name ? -1 : a.position.name > b.position.name ? 1 : 0) ||
				(a.unit.serial < b.unit.serial ? -1 : 1)
		)
		.slice(0, MOST_PAIRS);
	const [first, second] = best;
	const alone =
		first !== undefined &&
		(!second ||
			second.unheard.length > first.unheard.length ||
			second.both !== first.both ||
			second.strength < first.strength);
	return best.map((pair) => ({
		unit: pair.unit,
		position: pair.position,
		unheard: pair.unheard,
		sure: pair === first && alone && pair.both && pair.unheard.length === 0
	}));
}

/** How strongly a word points at a unit: its end is what people read aloud. 0: not at all. */
function heardInUnit(word: string, { serial, mac }: SpokenUnit): number {
	const piece = foldLookAlikes(word.toUpperCase().replace(/[^0-9A-Z]/g, ''));
	if (piece.length < SHORTEST_PIECE) return 0;
	const printed = [serial, mac?.replaceAll(':', '') ?? ''].map((text) => foldLookAlikes(text.toUpperCase()));
	if (printed.some((text) => text.endsWith(piece))) return 3;
	return printed.some((text) => text.includes(piece)) ? 2 : 0;
}

const plain = (text: string) => text.toLowerCase().normalize('NFD').replace(/\p{M}/gu, '');

/** How strongly a word points at a position: as the beginning of a word of its site's, its locality's or its own name. */
function heardInPosition(word: string, { siteName, locality, name }: SpokenPosition): number {
	const piece = plain(word);
	const strength = (text: string, begins: number): number => {
		const names = plain(text);
		if (names.split(/[\s,-]+/).some((one) => one.startsWith(piece))) return begins;
		return piece.length > SHORTEST_PIECE && names.includes(piece) ? 1 : 0;
	};
	return Math.max(strength(siteName, 3), strength(name, 2), strength(locality, 2));
}

/** How far from now its appointment is; those without one come last. */
const urgency = ({ appointmentAt }: SpokenPosition, now: number): number =>
	appointmentAt === null ? Infinity : Math.abs(appointmentAt - now);
