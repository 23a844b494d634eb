import { createHash, randomBytes } from 'node:crypto';
import ical from 'ical-generator';
import { UPLINK_WORDS, type UplinkKind } from '../../../../core/profile';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { FACT_COLUMNS } from './standing-sites';

/**
 * Appointments as an iCalendar feed (RFC 5545), one per technician, at an address that nobody can guess:
 * calendar programs show no password. Whoever holds the address sees that person's appointments and no more.
 */
const hashOf = (token: string) => createHash('sha256').update(token).digest();

/** A new address for one's own calendar; the one before stops working. It is shown once. */
export async function newCalendar(actor: Actor & { readonly personId: string }): Promise<string> {
	const token = randomBytes(24).toString('base64url');
	await database().transaction(async (trx) => {
		await trx('calendar')
			.insert({ person_id: actor.personId, token_hash: hashOf(token) })
			.onConflict('person_id')
			.merge({ token_hash: hashOf(token), created_at: trx.fn.now() });
		await enterInLedger(trx, actor, [
			{
				act: 'make calendar address',
				customerId: null,
				subjectKind: 'person',
				subjectId: actor.personId,
				words: `${actor.name} has a new address for their calendar.`
			}
		]);
	});
	return token;
}

export const calendarSince = async (personId: string): Promise<Date | null> =>
	(await database()('calendar').where({ person_id: personId }).first('created_at'))?.created_at ?? null;

/** Whose calendar an address is of; null when of nobody's. */
export async function calendarOwner(token: string): Promise<string | null> {
	const { rows } = await database().raw('select limen_calendar(?) as id', [hashOf(token)]);
	return rows[0].id;
}

const PAST = '30 days';

/** The appointments of a person from a month ago on, as an iCalendar file. Runs as that person. */
export async function calendarOf(personId: string, base: string): Promise<string> {
	const rows = await database()('site')
		.join('customer', 'customer.id', 'site.customer_id')
		.where('technician_id', personId)
		.whereRaw(`appointment_at > now() - interval '${PAST}'`)
		.orderBy('appointment_at')
		.select('site.id', 'customer.name as customer', 'appointment_at as at', 'appointment_minutes as minutes')
		.select('edit', ...FACT_COLUMNS)
		.select(
			database().raw(
				'array(select position.name from position where site_id = site.id order by name) as positions'
			)
		);
	const calendar = ical({
		name: 'Limen: sites',
		prodId: { company: 'Limen', product: 'Appointments' },
		ttl: 900
	});
	for (const row of rows) {
		const start = row.at as Date;
		calendar.createEvent({
			id: `${row.id}@limen`,
			sequence: row.edit,
			start,
			end: new Date(start.getTime() + row.minutes * 60_000),
			summary: `${row.name}, ${row.customer}`,
			location: {
				title: [row.street, row.locality, row.country].filter(Boolean).join(', ') || row.name,
				...(row.latitude === null ? {} : { geo: { lat: row.latitude, lon: row.longitude } })
			},
			url: `${base}/sites/${row.id}`,
			description: [
				[row.contact, row.phone].filter(Boolean).join(', '),
				row.accessHours,
				row.directions,
				`Uplink: ${[UPLINK_WORDS[row.uplink as UplinkKind], row.provider, row.circuit].filter(Boolean).join(', ')}`,
				`Positions: ${row.positions.join(', ') || 'none planned'}`
			]
				.filter(Boolean)
				.join('\n')
		});
	}
	return calendar.toString();
}
