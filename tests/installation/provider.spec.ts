import { expect } from 'chai';
import type { Viewed } from '../../bench/provider/pages';
import { Installation } from './installation';
import { planted } from './planted';

describe('the provider that is made for benches @long', () => {
	let here: Installation;
	before(async () => {
		here = await Installation.create({});
		await here.start();
		await planted(here);
	});
	after(() => here.remove());

	it('is made of what the tables hold today, and each of its pages is shown', async () => {
		await here.killApplication();
		const made = here.run('tests/installation/plant-provider.ts');
		expect(made.status, made.stderr).to.equal(0);
		await here.start();
		const { stdout, stderr, status } = here.run('tests/installation/plant-provider.ts', 'view');
		expect(status, stderr).to.equal(0);
		const pages = JSON.parse(stdout.trim().split('\n').at(-1)!) as readonly Viewed[];
		expect(pages.length).to.be.greaterThan(90);
		expect(pages.filter((page) => page.status !== 200)).to.deep.equal([]);
		const [units] = await here.query(
			`select count(*)::int as units, count(*) filter (where stands.standing = 'online')::int > 0 as are_online,
				count(*) filter (where stands.standing = 'not-heard')::int > 0 as are_away, count(*) filter (where stands.standing = 'stuck')::int > 0 as are_stuck
			from unit join position_standing stands on stands.unit_id = unit.id join customer on customer.id = unit.customer_id where customer.name like 'Tiny %'`
		);
		expect(units).to.deep.equal({ units: 490, are_online: true, are_away: true, are_stuck: true });
	});
});
