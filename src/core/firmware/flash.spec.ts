import { expect } from 'chai';
import fc from 'fast-check';
import {
	afterFlash,
	AWAY_AFTER_MS,
	FLASH_MOVES,
	flashHasEnded,
	isAway,
	isOlder,
	newFlash,
	wayTo,
	type Flash,
	type FlashEvent,
	type KnownImage
} from '.';

const SETTLES = 100;
const runs = (version: string, anew = true, at = 1_000): FlashEvent => ({ kind: 'runs', version, anew, at });
const through = (flash: Flash, ...events: FlashEvent[]): Flash =>
	events.reduce((before, event) => afterFlash(before, event, SETTLES), flash);
const INSTALL: readonly FlashEvent[] = [
	{ kind: 'fetch said', at: 1 },
	{ kind: 'install said', at: 2 }
];

describe('a flash', () => {
	const two = newFlash('1', ['2', '3']);

	it('goes over each step of its path, and is done only when the unit came back with the last', () => {
		const first = through(two, runs('1'), ...INSTALL);
		expect(first).to.include({ state: 'installing', at: 0 });
		expect(through(first, runs('2', false)).state).to.equal('installing');
		const second = through(first, runs('2'));
		expect(second).to.include({ state: 'waiting', at: 1, saidAt: null });
		expect(through(second, ...INSTALL, runs('3'))).to.include({ state: 'done', at: 1 });
		// It took both at once
		expect(through(first, runs('3')).state).to.equal('done');
	});

	it('says how else it ended', () => {
		expect(through(two, ...INSTALL, runs('1')).state).to.equal('gone back');
		// It may still be writing
		expect(through(two, ...INSTALL, runs('1', true, 101)).state).to.equal('installing');
		expect(through(two, ...INSTALL, runs('1', true, 101), runs('2', true, 102))).to.include({
			state: 'waiting',
			at: 1
		});
		expect(through(two, ...INSTALL, runs('2'), ...INSTALL, runs('2')).state).to.equal('gone back');
		expect(through(two, ...INSTALL, runs('9')).state).to.equal('differs');
		expect(through(two, runs('9'))).to.include({ state: 'refused' });
		expect(through(two, runs('3')).state).to.equal('done');
		expect(through(two, { kind: 'fetch said', at: 1 }, { kind: 'given up', words: 'no space' })).to.include({
			state: 'refused',
			refusal: 'no space'
		});
		expect(through(two, ...INSTALL, { kind: 'install refused', words: 'bad' }).state).to.equal('refused');
		expect(isAway(through(two, ...INSTALL), 2 + AWAY_AFTER_MS)).to.equal(false);
		expect(isAway(through(two, ...INSTALL), 3 + AWAY_AFTER_MS)).to.equal(true);
	});

	it('moves only as it may, never leaves its path, and never forgets that it ended', () => {
		const event = fc.oneof(
			fc.record({
				kind: fc.constant('runs' as const),
				version: fc.constantFrom('1', '2', '3', '9'),
				anew: fc.boolean(),
				at: fc.nat(300)
			}),
			fc.record({ kind: fc.constantFrom('fetch said' as const, 'install said' as const), at: fc.nat() }),
			fc.record({
				kind: fc.constantFrom('given up' as const, 'install refused' as const),
				words: fc.string()
			}),
			fc.constant<FlashEvent>({ kind: 'let go' })
		);
		fc.assert(
			fc.property(fc.array(event, { maxLength: 14 }), (events) => {
				let flash = two;
				let hasReturned = false;
				for (const one of events) {
					const after = afterFlash(flash, one, SETTLES);
					if (after.state !== flash.state) expect(FLASH_MOVES[flash.state]).to.include(after.state);
					if (flashHasEnded(flash.state)) expect(after).to.deep.equal(flash);
					expect(after.at).to.be.within(flash.at, 1);
					hasReturned ||= one.kind === 'runs' && one.version === '3';
					if (after.state === 'done') expect(hasReturned).to.equal(true);
					flash = after;
				}
			})
		);
	});
});

describe('the way of a unit to a version', () => {
	const LINE = [
		{ version: '1', from: [] },
		{ version: '2', from: ['1'] },
		{ version: '2b', from: ['1'] },
		{ version: '3', from: ['2', '2b'] }
	];
	const images = (given: Record<string, Partial<KnownImage>>) =>
		new Map(Object.entries(given).map(([version, one]) => [version, { bytes: 10, withdrawn: null, ...one }]));

	it('goes over images that are there, may be used and fit', () => {
		const all = { '1': {}, '2': {}, '2b': {}, '3': {} };
		const path = (
			given: Record<string, Partial<KnownImage>>,
			from = '1',
			to = '3',
			room: number | null = 10
		) => wayTo(LINE, images(given), room, from, to);
		expect(path(all)).to.deep.equal({ ok: true, path: ['2b', '3'] });
		expect(path({ ...all, '2b': { withdrawn: 'Loses tunnels.' } })).to.deep.equal({
			ok: true,
			path: ['2', '3']
		});
		expect(path({ '3': {}, '2': {} })).to.deep.equal({ ok: true, path: ['2', '3'] });
		expect(path(all, '3', '1')).to.deep.equal({ ok: true, path: ['1'] });
		expect(path({}, '3', '3')).to.deep.equal({ ok: true, path: [] });
	});

	it('says what it lacks', () => {
		const why = (given: Record<string, Partial<KnownImage>>, from = '1', to = '3', room = 10) => {
			const way = wayTo(LINE, images(given), room, from, to);
			return way.ok ? way.path : way.why;
		};
		expect(why({ '3': {} })).to.equal('There is no image of version 2b for this model.');
		expect(why({ '2': {} })).to.equal('There is no image of version 3 for this model.');
		expect(why({ '3': { withdrawn: 'Loses tunnels.' } })).to.equal('Version 3 was withdrawn: Loses tunnels.');
		expect(why({ '2': {}, '3': { bytes: 11 } })).to.include('larger than');
		expect(why({ '2': {} }, '3', '2')).to.equal(
			'There is no way from firmware 3 to 2 that its maker allows.'
		);
		expect([isOlder(LINE, '1', '3'), isOlder(LINE, '3', '1'), isOlder(LINE, '0', '1')]).to.deep.equal([
			true,
			false,
			null
		]);
	});
});
