import { expect } from 'chai';
import { onChange } from '../dialling';
import { Listener } from '../listener';
import { answerOf, customerId, customerLike, newPerson, post, unwalled, type TestPerson } from '../making';

export interface Place {
	readonly id: string;
	readonly name: string;
	readonly town?: string;
	readonly phone?: string;
	readonly visit?: string;
}

interface Scene {
	customer: string;
	customerKey: string;
	coordinator: TestPerson;
	source: Listener;
	url: string;
	/** What the source holds; the tests change it. */
	places: Place[];
}
/** A customer of each test’s own, and a source that holds its places. */
export function connectorScene() {
	const scene = {} as Scene;
	/** What the scene.source holds; the tests change it. */
	beforeEach(async () => {
		scene.customer = await customerLike('Marlstone Veterinary');
		scene.customerKey = await customerId(scene.customer);
		scene.coordinator = await newPerson({ [scene.customer]: 'coordinator' });
		scene.places = [
			{ id: '1', name: 'Wharf', town: 'Nelson', phone: '021 555 0101' },
			{ id: '2', name: 'Pier', town: 'Picton', visit: '2027-02-02 09:30' }
		];
		scene.source = new Listener((response) =>
			response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(scene.places))
		);
		scene.url = await scene.source.start();
	});
	afterEach(() => scene.source.stop());

	const act = async (
		id: string,
		name: string,
		fields: Record<string, string> | FormData,
		as = scene.coordinator
	) => answerOf(await post(`/sites/connectors/${id}?/${name}`, fields, {}, as));
	const runs = (id: string) => unwalled()('connector_run').where({ connector_id: id }).orderBy('id');
	const last = async (id: string) => (await runs(id)).at(-1);
	/** Resolves when the last reading is over, with it. */
	async function read(id: string) {
		await onChange(['connectors'], async () => (await last(id))?.ended_at != null);
		return last(id);
	}
	const rows = async (id: string) =>
		unwalled()('connector_row')
			.where({ run_id: (await last(id)).id })
			.orderBy('ordinal');
	async function stated(more: Record<string, string> = {}) {
		const given = { name: 'Places', customer: scene.customerKey, kind: 'sites', url: scene.url, ...more };
		const answer = await answerOf(await post('/sites/connectors?/save', given, {}, scene.coordinator));
		expect(answer.type, JSON.stringify(answer)).to.equal('redirect');
		return answer.location!.split('/').at(-1)!;
	}
	/** Chooses columns, which the scene.source must have. */
	async function mapped(id: string, columns: Record<string, string>, key = 'id') {
		const form = new FormData();
		const { edit } = await unwalled()('connector').where({ id }).first('edit');
		for (const [name, value] of Object.entries({ connector: id, edit: String(edit), key }))
			form.set(name, value);
		for (const [from, to] of Object.entries(columns)) {
			form.append('from', from);
			form.append('to', to);
		}
		return act(id, 'map', form);
	}
	const COLUMNS = { name: 'site', town: 'locality', phone: 'phone', visit: 'appointment' };
	async function ready(more: Record<string, string> = {}) {
		const id = await stated(more);
		expect((await mapped(id, COLUMNS)).type).to.equal('success');
		return id;
	}
	async function compare(id: string) {
		expect((await act(id, 'compare', { connector: id })).type).to.equal('success');
		return read(id);
	}
	async function take(id: string) {
		const { id: run } = await last(id);
		const answer = await act(id, 'take', { run });
		expect(answer.type, JSON.stringify(answer)).to.equal('success');
		await onChange(['work'], async () => {
			const { work_id } = await unwalled()('connector_run').where({ id: run }).first();
			const work = work_id && (await unwalled()('long_work').where({ id: work_id }).first());
			return work?.state === 'done';
		});
		return answer;
	}
	const sites = () => unwalled()('site').where({ customer_id: scene.customerKey }).orderBy('name');
	const siteNamed = async (name: string) => (await sites()).find((site) => site.name === name);
	return {
		scene,
		act,
		runs,
		last,
		read,
		rows,
		stated,
		mapped,
		COLUMNS,
		ready,
		compare,
		take,
		sites,
		siteNamed
	};
}
