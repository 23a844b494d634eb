import { expect } from 'chai';
import { eveningLetter, newsLetter, type DueSite } from './letters';

const BASE = 'https://limen.example';
const site = (name: string, hour: number, more: Partial<DueSite> = {}): DueSite => ({
	id: name,
	name,
	place: 'Bluff',
	timeZone: 'UTC',
	at: Date.UTC(2026, 10, 28, hour),
	technician: 'Tobias Venn',
	contact: '',
	gaps: [],
	...more
});
const gap = (words: string) => ({
	kind: 'rehearsal' as const,
	words,
	position: 'rt-1',
	act: { href: '/x', words: 'x' }
});

describe('letters about sites', () => {
	it('say the evening before what is due, what lacks something first', () => {
		const { subject, text } = eveningLetter(
			[site('Early', 8), site('Late', 15, { gaps: [gap('It would reject line 25.')] }), site('Next', 9)],
			BASE
		);
		expect(subject).to.equal('Sat 28 Nov: 3 sites, 1 not ready');
		expect(text.split('\n\n').map((one) => one.split('\n')[0])).to.deep.equal([
			'15:00 Late, Bluff',
			'08:00 Early, Bluff',
			'09:00 Next, Bluff'
		]);
		expect(text)
			.to.include('  - rt-1: It would reject line 25.')
			.and.include('  https://limen.example/sites/Late');
		expect(text.split('\n\n')[1]).to.include('  Ready.');
	});

	it('name so many gaps and no more', () => {
		const { text } = eveningLetter(
			[site('One', 8, { gaps: Array.from({ length: 11 }, (_, n) => gap(`Gap ${n}`)) })],
			BASE
		);
		expect(text).to.include('Gap 7').and.include('and 3 more').and.not.include('Gap 8');
	});

	it('gather what happened, what needs somebody first', () => {
		const { subject, text } = newsLetter(
			[
				{ id: 'a', name: 'Here', kind: 'through', units: 0, words: '' },
				{ id: 'b', name: 'There', kind: 'stuck', units: 2, words: 'no space' },
				{ id: 'c', name: 'Yonder', kind: 'stuck', units: 0, words: 'Tunnel down.' }
			],
			BASE
		);
		expect(subject).to.equal('2 sites need somebody, 1 site through');
		expect(text).to.match(
			/^There: 2 units failed\.\n {2}no space\n[^]*Yonder: its proof does not hold\.[^]*Here is through/
		);
	});
});
