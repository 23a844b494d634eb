import { redirect } from '@sveltejs/kit';
import { readIntake, readSerial } from '$core/intake';
import { readPositionCard } from '$core/plan';
import { database } from '$lib/server/database';
import { findUnits, intakeModels, unitsBySerial } from '$lib/server/intake';
import { findSites } from '$lib/server/plan';
import { retiredUnits } from '$lib/server/retirement';
import type { PageServerLoad } from './$types';

const MOST = 30;
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

/** Finds by any part of a serial, a MAC address, or a site. What names one unit exactly, or fits one thing alone, goes straight to it. */
export const load: PageServerLoad = async ({ locals, url }) => {
	const text = (url.searchParams.get('q') ?? '').slice(0, 200).trim();
	// The position that was on the screen when a label was scanned
	const at = UUID.exec(url.searchParams.get('to') ?? '')?.[0] ?? null;
	const models = await intakeModels(database());
	const known = models.map(({ id, name, serial }) => ({ id, name, serial }));
	const card = readPositionCard(text);
	if (card) redirect(303, `/sites/at/${card.replaceAll('-', '')}`);
	if (text === '') return { text, units: [], retired: [], sites: [], claimable: null, models: known };
	// A scanned label can hold more than the serial number
	const reading = readIntake(text, models);
	const [row] = reading.ok ? reading.rows : [];
	const serial = row?.modelId ? row.serial : null;
	const [units, sites] = await Promise.all([
		serial ? unitsBySerial(serial, locals.customerId) : findUnits(text, locals.customerId, MOST),
		findSites(text, locals.customerId, MOST)
	]);
	// Only where nothing in use is meant: who looks for a unit by its label wants that one
	const retired =
		units.length > 0 ? [] : await retiredUnits({ customerId: locals.customerId, text: serial ?? text });
	const isAlone = units.length + sites.length + retired.length === 1;
	const [unit] = units;
	if (
		unit &&
		units.length === 1 &&
		(isAlone || [serial, readSerial(text, models).serial].includes(unit.serial))
	)
		redirect(303, `/units/${unit.id}${at ? `?to=${at}` : ''}`);
	// A serial number that nobody has claimed is told as such
	if (sites[0] && isAlone && !serial) redirect(303, `/sites/${sites[0].id}`);
	return {
		text,
		units,
		retired,
		sites,
		claimable: units.length === 0 && serial ? text : null,
		models: known
	};
};
