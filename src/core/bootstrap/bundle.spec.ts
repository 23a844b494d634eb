import { expect } from 'chai';
import { bundleSheet, folderOf } from './bundle';

const unit = (serial: string) => ({
	serial,
	place: 'Nelson clinic, gw-1',
	goodUntil: new Date('2027-04-01T10:00:00Z')
});
const about = {
	by: 'Ines Okafor',
	at: new Date('2027-03-01T10:00:00Z'),
	server: 'https://limen.example:4084'
};

describe('files for removable storage', () => {
	it('lie beside each other for one unit, and in folders for more', () => {
		expect(folderOf('OG2K1', 1)).to.equal('');
		expect(folderOf('OG2K1', 2)).to.equal('OG2K1/');
	});

	it('come with a sheet that names each unit, until when they are good, and whether they hold secrets', () => {
		const one = bundleSheet('ask', [unit('OG2K1')], about);
		expect(one).to.include('OG2K1').and.include('2027-04-01').and.include('https://limen.example:4084');
		expect(one).to.include('no secret').and.not.include('PASSWORDS');
		const all = bundleSheet('all', [unit('OG2K1'), unit('OG2K2')], about);
		expect(all).to.include('OG2K2').and.include('2 factory-new units').and.include('PASSWORDS');
		expect(all.replace(/\r\n/g, '')).to.not.match(/[\r\n]/);
	});
});
