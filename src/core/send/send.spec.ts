import { expect } from 'chai';
import {
	afterSend,
	NEW_SEND,
	nextStep,
	SEND_MOVES,
	sendHasEnded,
	togetherOf,
	type Finds,
	type Send,
	type SendEvent
} from './send';

/** Time has three values: before the timer's end, after it, and once all is settled. */
const TERMS = { timer: 1, grace: 1 };
const read = (finds: Finds, at: number, anew = true): SendEvent => ({ kind: 'read', finds, at, anew });
const through = (...events: SendEvent[]): Send =>
	events.reduce((send, event) => afterSend(send, event, TERMS), NEW_SEND);
const SET_OFF: SendEvent[] = [{ kind: 'begun' }, { kind: 'commit said', at: 0 }, { kind: 'commit answered' }];

describe('a confirmed send', () => {
	it('is confirmed once the unit has come back with what was sent, and has been read again', () => {
		const back = through(...SET_OFF, read('intended', 0));
		expect(nextStep(back, 0, TERMS, true)).to.equal('confirm');
		const said = [...SET_OFF, read('intended', 0), { kind: 'confirm said' }] as SendEvent[];
		expect(through(...said, read('intended', 0)).state).to.equal('confirming');
		expect(through(...said, { kind: 'confirm answered' }, read('intended', 0)).state).to.equal('confirmed');
	});

	it('is not confirmed over the connection that set it off', () => {
		const send = through(...SET_OFF, read('intended', 0, false));
		expect(nextStep(send, 0, TERMS, true)).to.equal('hang up');
		// Nor over one that may be older than the change, when nobody heard whether it was set off
		const unheard = through(...SET_OFF.slice(0, 2), read('intended', 0));
		expect(nextStep(unheard, 0, TERMS, true)).to.equal('hang up');
		expect(nextStep(afterSend(unheard, read('intended', 0), TERMS), 0, TERMS, true)).to.equal('confirm');
	});

	it('does not say that a unit went back before its timer can have run out', () => {
		expect(through(...SET_OFF, read('before', 0)).state).to.equal('committed');
		expect(through(...SET_OFF, read('before', 1)).state).to.equal('gone back');
		const refused: SendEvent = { kind: 'commit refused', words: 'no' };
		expect(through(...SET_OFF.slice(0, 2), refused, read('before', 0)).state).to.equal('refused');
	});

	it('tells a unit to go back that runs something else, and says so when it still does in the end', () => {
		const half = through(...SET_OFF, read('other', 0));
		expect(nextStep(half, 0, TERMS, true)).to.equal('go back');
		expect(nextStep(half, 0, TERMS, false)).to.equal('wait');
		expect(nextStep(half, 2, TERMS, true)).to.equal('look');
		expect(through(...SET_OFF, read('other', 2)).state).to.equal('differs');
	});

	it('waits for those that it is confirmed together with, and goes back where one of them is lost', () => {
		const [came, other] = [through(...SET_OFF, read('intended', 0)), through(...SET_OFF)];
		const next = (others: readonly Send[], canGoBack = true, now = 0) =>
			nextStep(came, now, TERMS, canGoBack, togetherOf(others));
		expect(next([])).to.equal('confirm');
		expect(next([NEW_SEND])).to.equal('wait');
		expect(next([other])).to.equal('wait');
		expect(next([came, through(...SET_OFF, read('intended', 0, false))])).to.equal('wait');
		expect(next([came])).to.equal('confirm');
		expect(next([through(...SET_OFF, read('intended', 0), { kind: 'confirm said' })])).to.equal('confirm');
		const lost = through({ kind: 'given up', words: 'no' });
		expect(next([came, lost])).to.equal('go back');
		expect(next([lost], false)).to.equal('wait');
		expect(next([lost], true, 1)).to.equal('wait');
		// What is being confirmed is brought to its end
		const confirming = through(
			...SET_OFF,
			read('intended', 0),
			{ kind: 'confirm said' },
			read('intended', 0)
		);
		expect(nextStep(confirming, 0, TERMS, true, togetherOf([lost]))).to.not.equal('go back');
	});

	it('does not change any more once it has ended, and takes nothing that does not fit its state', () => {
		const over = through({ kind: 'given up', words: 'no' });
		for (const event of [...SET_OFF, read('intended', 0), { kind: 'confirm said' } as SendEvent])
			expect(afterSend(over, event, TERMS)).to.equal(over);
		expect(through({ kind: 'commit said', at: 0 })).to.equal(NEW_SEND);
	});
});

/**
 * All interleavings of Limen, unit, network, power and kills: a bounded world whose every state is visited. Limen works
 * in small steps between which anything can happen; `Fault` seeds a mistake, to show that the search can find one.
 */
type Fault =
	| 'confirms over the old connection'
	| 'the unit keeps no timer'
	| 'takes the timer for shorter than it is'
	| 'records what it said only afterwards'
	| 'dates a reading from when it came'
	| 'takes a confirmation that was said for one that was heard';

interface World {
	readonly time: 0 | 1 | 2;
	readonly unit: {
		readonly power: boolean;
		readonly runs: 'before' | 'intended';
		readonly isPending: boolean;
		readonly hasCommitted: boolean;
	};
	/** The connection over which the change was set off, a later one, or none. */
	readonly link: 'old' | 'new' | null;
	/** Said over a connection that broke since: the unit may still get it. */
	readonly inFlight: 'commit' | 'confirm' | null;
	readonly send: Send;
	/** What Limen is at: a step, and how far; what it read. */
	readonly doing: {
		readonly step: 'load' | 'look' | 'confirm';
		readonly at: number;
		readonly read: Finds | null;
		readonly asked: number;
		readonly answer: 'ok' | 'refused' | null;
	} | null;
	/** The intended configuration has no way back in. */
	readonly strands: boolean;
}

const reachable = ({ unit, strands }: World) => unit.power && (unit.runs === 'before' || !strands);
const told = (world: World, event: SendEvent, fault: Fault | null): World => ({
	...world,
	send: afterSend(
		world.send,
		fault === 'confirms over the old connection' && event.kind === 'read' ? { ...event, anew: true } : event,
		fault === 'takes the timer for shorter than it is' ? { timer: 0, grace: 0 } : TERMS
	)
});

/** What the unit makes of what is said. */
function heard(world: World, said: 'commit' | 'confirm', fault: Fault | null): World {
	const { unit } = world;
	if (said === 'commit')
		return unit.hasCommitted
			? world
			: {
					...world,
					unit: {
						...unit,
						runs: 'intended',
						isPending: fault !== 'the unit keeps no timer',
						hasCommitted: true
					}
				};
	return { ...world, unit: { ...unit, isPending: false } };
}

/** The steps of Limen's, each of which can be its last before a kill. */
function limen(world: World, fault: Fault | null): World | null {
	const { doing, send, link, time, unit } = world;
	if (!link) return null;
	const terms = fault === 'takes the timer for shorter than it is' ? { timer: 0, grace: 0 } : TERMS;
	const at = (step: number, more: Partial<NonNullable<World['doing']>> = {}) => ({
		...doing!,
		...more,
		at: step
	});
	if (!doing) {
		if (send.state === 'loading') return told(world, { kind: 'given up', words: 'broken off' }, fault);
		const step = nextStep(send, time, terms, false);
		if (step === 'hang up') return { ...told(world, { kind: 'hung up' }, fault), link: null };
		if (step !== 'load' && step !== 'look' && step !== 'confirm') return null;
		return { ...world, doing: { step, at: 0, read: null, asked: time, answer: null } };
	}
	const over = (next: World): World => ({ ...next, doing: null });
	const first: SendEvent =
		doing.step === 'load' ? { kind: 'commit said', at: time } : { kind: 'confirm said' };
	const said = doing.step === 'load' ? 'commit' : 'confirm';
	if (doing.step === 'look')
		return doing.at === 0
			? { ...world, doing: at(1, { read: unit.runs }) }
			: over(
					told(
						world,
						read(
							doing.read!,
							fault === 'dates a reading from when it came' ? time : doing.asked,
							link === 'new'
						),
						fault
					)
				);
	switch (doing.at) {
		case 0:
			if (send.state === 'waiting') return told(world, { kind: 'begun' }, fault);
			return {
				...(fault === 'records what it said only afterwards' ? world : told(world, first, fault)),
				doing: at(1)
			};
		case 1: {
			const refused = said === 'confirm' && !unit.isPending;
			const next = heard(world, said, fault);
			return { ...next, doing: at(2, { answer: refused ? 'refused' : 'ok' }) };
		}
		default: {
			const late = fault === 'records what it said only afterwards' ? told(world, first, fault) : world;
			const kind = `${said} ${doing.answer === 'ok' ? 'answered' : 'refused'}` as const;
			const next = over(told(late, { kind, words: 'nothing waits' } as SendEvent, fault));
			// After it was set off the unit has to dial anew
			return said === 'commit' && fault !== 'confirms over the old connection'
				? { ...next, link: null }
				: next;
		}
	}
}

/** Everything that can happen next. */
function nexts(world: World, fault: Fault | null): World[] {
	const { unit, link, time, doing, inFlight } = world;
	const all: World[] = [];
	const next = limen(world, fault);
	if (next) {
		const isSaid = next.send.state === 'confirming' && world.send.state !== 'confirming';
		all.push(
			fault === 'takes a confirmation that was said for one that was heard' && isSaid
				? { ...next, send: { ...next.send, state: 'confirmed' } }
				: next
		);
	}
	const cut: World = {
		...world,
		link: null,
		doing: fault === 'dates a reading from when it came' && doing?.read ? doing : null,
		// What was about to be said may be on its way
		inFlight:
			doing && doing.step !== 'look' && doing.at === 1
				? doing.step === 'load'
					? 'commit'
					: 'confirm'
				: inFlight
	};
	// The connection breaks, or Limen is killed: both leave it with what it recorded
	if (link) all.push(cut);
	if (!link && reachable(world))
		all.push({ ...world, link: unit.hasCommitted || world.send.committedAt !== null ? 'new' : 'old' });
	if (inFlight && unit.power) {
		if (time === 0) all.push({ ...heard(world, inFlight, fault), inFlight: null });
		all.push({ ...world, inFlight: null });
	}
	if (unit.power)
		all.push({
			...cut,
			inFlight: null,
			// What was not confirmed is gone after a power cut
			unit: { ...unit, power: false, runs: unit.isPending ? 'before' : unit.runs, isPending: false }
		});
	else all.push({ ...world, unit: { ...unit, power: true } });
	if (unit.isPending && time >= 1)
		all.push({ ...cut, inFlight: null, unit: { ...unit, runs: 'before', isPending: false } });
	// Time counts from when the change was set off. A unit's timer ends before everything is settled, and nothing is on
	// its way that long
	if (time === 0 && inFlight === null && (world.send.committedAt !== null || unit.hasCommitted))
		all.push({ ...world, time: 1 });
	if (time === 1 && !unit.isPending) all.push({ ...world, time: 2 });
	return all;
}

/** What is untrue or lost in a world; null when nothing is. */
function wrongIn(world: World): string | null {
	const { send, unit, strands } = world;
	const is = (runs: 'before' | 'intended') => unit.runs === runs && !unit.isPending;
	if (send.state === 'confirmed' && !is('intended'))
		return 'it says confirmed, and the unit will not keep it';
	if ((send.state === 'gone back' || send.state === 'refused') && !is('before'))
		return `it says ${send.state}, and the unit does not run what it ran before`;
	if (strands && unit.runs === 'intended' && !unit.isPending) return 'the unit can never be reached again';
	return null;
}

/** The same world when power and network come back, time goes by and nothing more goes wrong. */
function settled(world: World, fault: Fault | null): World {
	let now: World = { ...world, inFlight: null, unit: { ...world.unit, power: true } };
	for (let step = 0; step < 60 && !sendHasEnded(now.send.state); step++) {
		const next = limen(now, fault);
		if (next) now = next;
		else if (!now.link && reachable(now)) now = { ...now, link: 'new' };
		else if (now.unit.isPending && now.time >= 1)
			now = { ...now, link: null, doing: null, unit: { ...now.unit, runs: 'before', isPending: false } };
		else if (now.time < 2) now = { ...now, time: (now.time + 1) as 1 | 2 };
		// As a unit's connection is found dead, and it dials anew
		else now = { ...now, link: null, doing: null };
	}
	return now;
}

/** What goes wrong anywhere; with how many worlds were visited. */
function search(fault: Fault | null): { readonly wrong: ReadonlySet<string>; readonly worlds: number } {
	const wrong = new Set<string>();
	const seen = new Set<string>();
	const open: World[] = [false, true].map((strands) => ({
		time: 0,
		unit: { power: true, runs: 'before', isPending: false, hasCommitted: false },
		link: 'old',
		inFlight: null,
		send: NEW_SEND,
		doing: null,
		strands
	}));
	for (let world = open.pop(); world; world = open.pop()) {
		const key = JSON.stringify(world);
		if (seen.has(key)) continue;
		seen.add(key);
		const problem = wrongIn(world);
		if (problem) {
			wrong.add(problem);
			continue;
		}
		const end = settled(world, fault);
		if (!sendHasEnded(end.send.state)) wrong.add(`it never ends: ${end.send.state}`);
		if (!reachable(end)) wrong.add('the unit is not reached again');
		for (const next of nexts(world, fault)) {
			const [from, to] = [world.send.state, next.send.state];
			if (from !== to && !SEND_MOVES[from].includes(to)) wrong.add(`it moves from ${from} to ${to}`);
			open.push(next);
		}
	}
	return { wrong, worlds: seen.size };
}

describe('a confirmed send, over all interleavings', () => {
	it('ends with a unit that can be reached, and never says what is not so', () => {
		const { wrong, worlds } = search(null);
		expect([...wrong]).to.deep.equal([]);
		expect(worlds).to.be.greaterThan(200);
	});

	for (const fault of [
		'confirms over the old connection',
		'the unit keeps no timer',
		'takes the timer for shorter than it is',
		'records what it said only afterwards',
		'dates a reading from when it came',
		'takes a confirmation that was said for one that was heard'
	] as const)
		it(`would be seen to go wrong if Limen or the unit had this fault: ${fault}`, () => {
			expect([...search(fault).wrong]).to.not.deep.equal([]);
		});
});
