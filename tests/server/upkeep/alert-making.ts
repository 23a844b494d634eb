import { v7 as uuid } from 'uuid';
import { type AlertRule } from '../../../src/core/alerts';
import { SLOT_MS } from '../../../src/core/health';
import { alertRules, alerts, watchFigures } from '../../../src/lib/server/alerts';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { keepReadings } from '../../../src/lib/server/health';
import {
	boundUnit,
	customerId,
	customerLike,
	newPerson,
	openPosition,
	post,
	unwalled,
	type TestPerson
} from '../making';

export const MINUTE_MS = 60_000;
export const asLimen = <Result>(work: () => Promise<Result>) => runAs(BOOTSTRAP, work);

interface Scene {
	customer: string;
	id: string;
	engineer: TestPerson;
}
/** A customer of each test’s own, and what its units do. */
export function alertScene() {
	const scene = {} as Scene;
	beforeEach(async () => {
		// Nothing that other tests do to units goes on there
		scene.customer = await customerLike('Marlstone Veterinary');
		scene.id = await customerId(scene.customer);
		scene.engineer = await newPerson({ [scene.customer]: 'engineer' });
	});
	const open = () =>
		asLimen(() => alerts([scene.id])).then((all) => all.filter(({ endedAt }) => endedAt === null));
	const said = async () => (await open()).map(({ words }) => words);

	/** A unit that came through and is connected, at a site of its own or beside another. */
	async function online(role: 'gateway' | 'access-point' = 'gateway', beside?: string) {
		const place = await openPosition(role, scene.customer);
		if (beside)
			await unwalled().raw(
				`update position set site_id = other.site_id, name = position.name || right(position.id::text, 6) from position other where other.id = ? and position.id = ?`,
				[beside, place]
			);
		const unit = await boundUnit(role, scene.customer, place);
		for (const step of ['calling', 'identity', 'firmware', 'configuration', 'proof', 'online'])
			await unwalled()('run')
				.where({ id: unit.runId })
				.update({
					step,
					...(step === 'online' && { outcome: 'through', ended_at: new Date(Date.now() - 86_400_000) })
				});
		const process = uuid();
		await unwalled()('process').insert({ id: process, name: 'of a test' });
		await unwalled()('unit_connection').insert({
			unit_id: unit.unitId,
			customer_id: scene.id,
			process_id: process,
			session: uuid(),
			way: 'home over SSH'
		});
		return unit;
	}
	type Unit = Awaited<ReturnType<typeof online>>;
	const since = (minutes: number | null, ...units: readonly Unit[]) =>
		unwalled()('unit_connection')
			.whereIn(
				'unit_id',
				units.map(({ unitId }) => unitId)
			)
			.update({
				since: new Date(0),
				ended_at: minutes === null ? null : new Date(Date.now() - minutes * MINUTE_MS)
			});
	const cable = async (near: Unit, far: Unit) => {
		const { site_id } = await unwalled()('position').where({ id: near.positionId }).first('site_id');
		await unwalled()('cable').insert({
			id: uuid(),
			site_id,
			customer_id: scene.id,
			near_position: near.positionId,
			near_port: `p${far.serial}`,
			far_position: far.positionId,
			far_port: 'up'
		});
	};
	/** States a rule through the form that people have. */
	async function state(rule: AlertRule, as = scene.engineer, more: Record<string, string> = {}) {
		const form = { customer: scene.id, name: 'Of a test', rule: JSON.stringify(rule), on: 'on', ...more };
		const answer = await post('/upkeep/alerts/rules?/save', form, {}, as);
		return { answer, rule: (await asLimen(alertRules)).find((one) => one.customerId === scene.id) };
	}
	const figures = (unit: Unit, values: readonly number[], key = 'processor') =>
		asLimen(() =>
			keepReadings(
				values.map((value, index) => ({
					unitId: unit.unitId,
					customerId: scene.id,
					at: Date.now() - (values.length - 1 - index) * SLOT_MS,
					figures: { [key]: value }
				}))
			)
		);
	/** Whatever minute it is that its turn comes in. */
	const watchAll = async () => {
		const now = Math.floor(Date.now() / SLOT_MS) * SLOT_MS;
		for (let minute = 0; minute < 5; minute++)
			await asLimen(() => watchFigures(new Date(now + minute * MINUTE_MS)));
	};
	return { scene, open, said, online, since, cable, state, figures, watchAll };
}
