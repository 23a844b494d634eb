import { randomInt } from 'node:crypto';
import { database } from '../../../src/lib/server/database';
import {
	patternById,
	tryStamping,
	savePattern,
	stampSites,
	standingSites,
	type PatternInput
} from '../../../src/lib/server/plan';
import { ACTOR, customerId, TEST_SITE, unwalled } from '../making';

export const CUSTOMER = 'Pippin & Loaf';
/** As many digits for all: things stand in the order of their names. */
let named = 100_000_000 + randomInt(1_000_000) * 100;
export const fresh = (word: string) => `${TEST_SITE} ${word} ${++named}`;
export const profileId = async (name: string): Promise<string> =>
	(await unwalled()('profile').where({ name }).first('id')).id;
export const entriesAbout = (subject: string) =>
	unwalled()('ledger_entry').where({ subject_id: subject }).orderBy('id').pluck('act');

export const BAKERY: readonly (readonly [string, string])[] = [
	['rt-1', 'Bakery router'],
	['ap-shop', 'Indoor access point']
];
export async function newPattern(
	places: readonly (readonly [string, string])[] = BAKERY,
	values: PatternInput['siteValues'] = {}
) {
	const input: PatternInput = {
		id: null,
		edit: 0,
		name: fresh('pattern'),
		note: '',
		siteValues: values,
		places: await Promise.all(
			places.map(async ([name, profile]) => ({
				id: null,
				name,
				profileId: await profileId(profile),
				values: {}
			}))
		)
	};
	const act = await savePattern(await customerId(CUSTOMER), input, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return { ...input, id: act.done.id };
}
export const sitesOf = (patternId: string) =>
	standingSites(database(), (query) => query.where('pattern_id', patternId));
/** The pattern as it is, ready to be changed. */
export async function again(patternId: string): Promise<PatternInput> {
	const { id, edit, name, note, places } = (await patternById(database(), patternId))!;
	return { id, edit, name, note, siteValues: {}, places: places.map((place) => ({ ...place, values: {} })) };
}
export async function stamped(patternId: string, cells: string[][], { also = false, allot = false } = {}) {
	const stamping = { patternId, cells, also, allot };
	const tried = await tryStamping(stamping, ACTOR);
	if (!tried.ok) throw new Error(tried.problem);
	const act = await stampSites(stamping, tried.done.seal, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return act.done;
}

/** What the form of a site holds, with its name alone filled in. */
export const siteForm = async (name: string): Promise<Record<string, string>> => ({
	customer: await customerId(CUSTOMER),
	name,
	street: '',
	locality: '',
	country: '',
	latitude: '',
	longitude: '',
	timeZone: 'Pacific/Auckland',
	contact: '',
	phone: '',
	accessHours: '',
	directions: '',
	uplink: 'fibre',
	provider: '',
	circuit: '',
	sim: '',
	apn: '',
	appointment: '',
	minutes: '60',
	technician: ''
});
