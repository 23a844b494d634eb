import { afterwards, type Expectation, type Rest } from './expectation';
import { survivalAt, type Steps } from './survival';

/**
 * When all will be through: the distribution of the last of many. Medians do not add up and the last of several is later
 * than each of them, so it is computed from draws: of every step so many, evenly spread over its distribution and mixed by
 * a fixed seed. The same input gives the same answer.
 */
export const DRAWS = 256;

/** What is known of how long a step takes. */
export interface Known extends Pick<Expectation, 'tail'> {
	readonly curve: Steps;
}

/** A step that is still to end; `lasted`: for how many seconds it has been going on, 0 for one that is to come. */
export interface StepAhead {
	readonly known: Known;
	readonly lasted: number;
}

/** A unit on its way. */
export interface UnitAhead {
	/** The step it is at, and all that follow. */
	readonly steps: readonly StepAhead[];
	/** It begins only when all those that are not behind others are through: an access point waits for its gateway. */
	readonly isBehind: boolean;
}

/**
 * In how many seconds all units of one place are through, as draws in no order; null for no units. Laws: one unit more is
 * never sooner; none is below 0; the order of the units changes nothing but what chance mixes.
 */
export function untilThrough(units: readonly UnitAhead[]): Float64Array | null {
	if (units.length === 0) return null;
	const front = new Float64Array(DRAWS);
	let turn = 0;
	const ownOf = ({ steps }: UnitAhead): Float64Array => {
		const own = new Float64Array(DRAWS);
		const add = (rests: Float64Array) => {
			const order = orderOf(turn++ % ORDERS);
			for (let draw = 0; draw < DRAWS; draw++) own[draw]! += rests[order[draw]!]!;
		};
		const toCome = steps.findIndex(({ lasted }) => lasted === 0);
		for (const { known, lasted } of toCome < 0 ? steps : steps.slice(0, toCome))
			add(restsAfter(known, lasted));
		if (toCome >= 0) add(wholeOf(steps.slice(toCome).map(({ known }) => known)));
		return own;
	};
	for (const unit of units) if (!unit.isBehind) later(front, ownOf(unit));
	const all = front.slice();
	for (const unit of units)
		if (unit.isBehind)
			later(
				all,
				ownOf(unit).map((own, draw) => own + front[draw]!)
			);
	return all;
}

/** Of several places: when the last of them is through. Takes the later one draw by draw, into the first. */
export function later(one: Float64Array, other: Float64Array): Float64Array {
	for (let draw = 0; draw < DRAWS; draw++) one[draw] = Math.max(one[draw]!, other[draw]!);
	return one;
}

/** The middle one, and those between which eight of ten lie. */
export function summaryOf(draws: Float64Array): Rest {
	const sorted = draws.slice().sort();
	const at = (p: number) => sorted[Math.min(DRAWS - 1, Math.floor(p * DRAWS))]!;
	return { soonest: at(0.1), median: at(0.5), latest: at(0.9) };
}

/** Steps one after the other that are all still to come: the same draws for every unit, kept by the first and what follows it. */
interface Whole {
	readonly draws: Float64Array;
	readonly then: WeakMap<Known, Whole>;
}
const beginnings = new WeakMap<Known, Whole>();
function wholeOf(steps: readonly Known[]): Float64Array {
	let [before, at]: [Float64Array | null, WeakMap<Known, Whole>] = [null, beginnings];
	steps.forEach((known, index) => {
		const kept: Whole = at.get(known) ?? { draws: together(before, known, index), then: new WeakMap() };
		at.set(known, kept);
		[before, at] = [kept.draws, kept.then];
	});
	return before!;
}
function together(before: Float64Array | null, known: Known, index: number): Float64Array {
	const rests = restsAfter(known, 0);
	const order = orderOf(ORDERS - 1 - (index % ORDERS));
	return before ? before.map((draw, at) => draw + rests[order[at]!]!) : rests;
}

/** How much longer a step lasts that has lasted so long: evenly spread over its distribution, ascending. */
function restsAfter({ curve, tail }: Known, lasted: number): Float64Array {
	const { times, survival } = curve;
	const left = survivalAt(curve, lasted);
	const rests = new Float64Array(DRAWS);
	let index = 0;
	for (let draw = 0; draw < DRAWS; draw++) {
		const p = (draw + 0.5) / DRAWS;
		const wanted = left * (1 - p) + 1e-12;
		while (index < times.length && survival[index]! > wanted) index++;
		const end = left > 0 && index < times.length ? times[index]! : afterwards(tail, lasted, p);
		rests[draw] = Math.max(0, end - lasted, draw > 0 ? rests[draw - 1]! : 0);
	}
	return rests;
}

/** So many ways to mix are made once. */
const ORDERS = 97;
const orders: Uint16Array[] = [];
function orderOf(seed: number): Uint16Array {
	return (orders[seed] ??= shuffled(seed + 1));
}

/** Fisher and Yates, with a generator of 32 bits (Marsaglia's xorshift). */
function shuffled(seed: number): Uint16Array {
	const order = Uint16Array.from({ length: DRAWS }, (_, index) => index);
	let state = Math.imul(seed, 0x9e3779b1) | 1;
	for (let last = DRAWS - 1; last > 0; last--) {
		state ^= state << 13;
		state ^= state >>> 17;
		state ^= state << 5;
		const other = (state >>> 0) % (last + 1);
		[order[last], order[other]] = [order[other]!, order[last]!];
	}
	return order;
}
