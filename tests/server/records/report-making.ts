import { expect } from 'chai';
import { onChange } from '../dialling';
import {
	answerOf,
	boundUnit,
	customerId,
	customerLike,
	get,
	newPerson,
	post,
	unwalled,
	type TestPerson
} from '../making';

export const today = new Date().toISOString().slice(0, 10);
export const DAY_MS = 86_400_000;

interface Scene {
	customer: string;
	id: string;
	auditor: TestPerson;
	coordinator: TestPerson;
	administrator: TestPerson;
}
/** A customer with two units, and those who may ask for its reports. */
export function reportScene() {
	const scene = {} as Scene;
	before(async () => {
		scene.customer = await customerLike('Marlstone Veterinary');
		scene.id = await customerId(scene.customer);
		scene.auditor = await newPerson({ [scene.customer]: 'auditor' });
		scene.coordinator = await newPerson({ [scene.customer]: 'coordinator' });
		scene.administrator = await newPerson('administrator');
		await boundUnit('gateway', scene.customer);
		await boundUnit('access-point', scene.customer);
		const site = await unwalled()('site').where({ customer_id: scene.id }).orderBy('name').first('id');
		await unwalled()('site').where({ id: site.id }).update({ name: '=cmd|<b>"Ōtaki"' });
	});
	const preview = (parts: readonly string[], who: TestPerson, more: Record<string, string> = {}) => {
		const search = new URLSearchParams({ customer: scene.id, from: today, to: today, ...more });
		for (const part of parts) search.append('part', part);
		return get(`/records/reports?${search}`, who);
	};
	const asked = (parts: readonly string[], more: Record<string, string | readonly string[]> = {}) => ({
		customer: scene.id,
		cohort: '',
		from: today,
		to: today,
		parts,
		...more
	});
	/** A form; a field with a list is there as often. */
	function formOf(fields: Readonly<Record<string, string | readonly string[]>>): FormData {
		const form = new FormData();
		for (const [name, given] of Object.entries(fields))
			for (const one of [given].flat()) form.append(name, one);
		return form;
	}
	const ask = async (parts: readonly string[], who = scene.auditor, more = {}) =>
		answerOf(await post('/records/reports?/make', formOf(asked(parts, more)), {}, who));
	/** Asks for a report and waits for it; its id. */
	async function made(parts: readonly string[], who = scene.auditor, more = {}): Promise<string> {
		const answer = await ask(parts, who, more);
		expect(answer.type, JSON.stringify(answer)).to.equal('redirect');
		const report = answer.location!.split('/').at(-1)!;
		await ended(report);
		return report;
	}
	const stateOf = (report: string) => unwalled()('report').where({ id: report }).first();
	const ended = (report: string) =>
		onChange(['reports'], async () => (await stateOf(report))?.state !== 'waiting');
	const file = (report: string, kind: string, who = scene.auditor) =>
		get(`/records/reports/${report}/${kind}`, who);
	return { scene, preview, asked, formOf, ask, made, stateOf, ended, file };
}
