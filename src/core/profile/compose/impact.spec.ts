import { expect } from 'chai';
import fc from 'fast-check';
import {
	changeBetween,
	groupChanges,
	hunksBetween,
	renderWhole,
	secretsOf,
	type Change,
	type Piece,
	type Values
} from '..';

const lines = fc.array(fc.constantFrom<string>('a', 'b', 'c', 'd'), { maxLength: 12 });

describe('what differs between two texts', () => {
	it('is what makes the second of the first', () => {
		fc.assert(
			fc.property(lines, lines, (before, after) => {
				const made = [...before];
				let moved = 0;
				for (const { at, removed, added } of hunksBetween(before, after)) {
					expect(made.splice(at - 1 + moved, removed.length, ...added)).to.deep.equal(removed);
					moved += added.length - removed.length;
				}
				expect(made).to.deep.equal(after);
			})
		);
	});
});

describe('what a release changes', () => {
	const render = (text: string, site: Values) => {
		const pieces: Piece[] = [{ id: 'p', name: 'p', text, fields: [] }];
		return {
			pieces,
			result: renderWhole({
				dialect: 'indented',
				pieces,
				scoped: { profile: { time: 'a' }, site },
				known: {}
			})
		};
	};
	const change = (before: string, after: string, site: Values): Change => {
		const [one, other] = [render(before, site), render(after, site)];
		return changeBetween(
			one.result,
			other.result,
			{ before: one.pieces, after: other.pieces },
			secretsOf([], Object.entries(site), new Map())
		);
	};

	it('is the same for positions whose own values alone differ, and another where other lines change', () => {
		const before = 'host {{ name }}\ntime {{ time }}\nend';
		const after =
			'host {{ name }}\nclock {{ time }}\nlan {{ lan }}\n{% if extra %}\nextra {{ extra }}\n{% endif %}\nend';
		const changes = Array.from({ length: 30 }, (_, index) => {
			const site = { name: `n${index}`, lan: `10.0.${index}.0/24`, ...(index === 7 && { extra: 1 }) };
			return [index, change(before, after, site)] as const;
		});
		const groups = groupChanges(changes);
		expect(groups.map(({ positions }) => positions.length)).to.deep.equal([29, 1]);
		expect(groups[0]!.change).to.deep.include({
			kind: 'changed',
			lines: 2,
			hunks: [{ at: 2, removed: ['time a'], added: ['clock a', 'lan 10.0.0.0/24'] }]
		});
		expect(groups[1]!.positions).to.deep.equal([7]);
	});

	it('puts first what it would break, counts what stays, and shows no secret', () => {
		const groups = groupChanges([
			['same', change('a', 'a', {})],
			['mended', change('{{ x }}', 'a', {})],
			['broken', change('a', '{{ x }}', {})],
			['still broken', change('{{ x }}', 'b {{ x }}', {})],
			['changed', change('key {{ my_secret }}', 'secret {{ my_secret }}', { my_secret: 'hush-hush' })]
		]);
		expect(groups.map(({ change: { kind }, positions }) => [kind, ...positions])).to.deep.equal([
			['broken', 'broken'],
			['changed', 'changed'],
			['mended', 'mended'],
			['same', 'same', 'still broken']
		]);
		expect(JSON.stringify(groups)).to.not.include('hush-hush');
	});
});
