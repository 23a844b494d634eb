import { foldLookAlikes, LOOK_ALIKE_FOLD } from '../../../core/intake';
import {
	likeliestPairs,
	spokenWords,
	type LikelyPair,
	type SpokenPosition,
	type SpokenUnit
} from '../../../core/onboarding';
import { database } from '../database';

/** Binding by telephone: somebody reads parts of a label and of a site's name aloud. */
export interface PhoneUnit extends SpokenUnit {
	readonly modelName: string;
}
export interface PhonePosition extends SpokenPosition {
	readonly siteId: string;
	readonly customerName: string;
	readonly roleName: string;
	readonly timeZone: string;
}
export type PhonePair = LikelyPair<PhoneUnit, PhonePosition>;

/** Of each so many are ranked, those in which the most words were heard. */
const MOST_CANDIDATES = 300;

/** The likeliest pairs of an unbound unit and an open position for what was said, among what whoever asks may see. */
export async function phonePairs(
	text: string,
	customerId: string | null,
	now: number
): Promise<readonly PhonePair[]> {
	const words = spokenWords(text);
	if (words.length === 0) return [];
	const [units, positions] = await Promise.all([
		unitsHeard(words, customerId),
		positionsHeard(words, customerId)
	]);
	// Only one of the two was named: the other may be any that its customer has
	const customers = (some: readonly { readonly customerId: string }[]) => [
		...new Set(some.map((one) => one.customerId))
	];
	const allUnits = units.length > 0 ? units : await unitsHeard([], customerId, customers(positions));
	const allPositions =
		positions.length > 0 ? positions : await positionsHeard([], customerId, customers(units));
	return likeliestPairs(text, allUnits, allPositions, now);
}

async function unitsHeard(
	words: readonly string[],
	customerId: string | null,
	customers: readonly string[] | null = null
): Promise<PhoneUnit[]> {
	const pieces = words
		.map((word) => foldLookAlikes(word.toUpperCase().replace(/[^0-9A-Z]/g, '')))
		.filter((piece) => piece.length > 1)
		.map((piece) => `%${piece}%`);
	const { rows } = await database().raw(
		`select unit.id, serial, mac::text, unit.customer_id as "customerId", model.name as "modelName",
			array(select role_id from model_role where model_role.model_id = unit.model_id) as roles
		from unit join model on model.id = unit.model_id
		cross join lateral (
			select translate(serial || ' ' || coalesce(upper(replace(mac::text, ':', '')), ''), :from, :to) as words
		) printed
		where out_of_service_at is null and ownership <> 'refused' and not exists (select from binding where unit_id = unit.id)
			and (:customer::uuid is null or unit.customer_id = :customer::uuid)
			and (:customers::uuid[] is null or unit.customer_id = any(:customers::uuid[]))
			and (:all or printed.words like any(:pieces::text[]))
		order by (select count(*) from unnest(:pieces::text[]) piece where printed.words like piece) desc, claimed_at desc, serial
		limit :most`,
		{
			customer: customerId,
			customers: customers as string[],
			all: words.length === 0,
			pieces,
			...LOOK_ALIKE_FOLD,
			most: MOST_CANDIDATES
		}
	);
	return rows;
}

async function positionsHeard(
	words: readonly string[],
	customerId: string | null,
	customers: readonly string[] | null = null
): Promise<PhonePosition[]> {
	const pieces = words.map(
		(word) =>
			`%${word
				.normalize('NFD')
				.replace(/\p{M}/gu, '')
				.replace(/[%_\\]/g, '\\$&')}%`
	);
	const { rows } = await database().raw(
		`select position.id, position.name, position.role_id as "roleId", role.name as "roleName", site.id as "siteId",
			site.name as "siteName", coalesce(site.locality, '') as locality, site.time_zone as "timeZone",
			position.customer_id as "customerId", customer.name as "customerName",
			(extract(epoch from site.appointment_at) * 1000)::float8 as "appointmentAt"
		from position join site on site.id = position.site_id join customer on customer.id = position.customer_id
		join role on role.id = position.role_id
		cross join lateral (
			select regexp_replace(normalize(lower(concat_ws(' ', site.name, site.locality, position.name)), NFD), '[\\u0300-\\u036f]', '', 'g') as words
		) called
		where not exists (select from binding where position_id = position.id)
			and (:customer::uuid is null or position.customer_id = :customer::uuid)
			and (:customers::uuid[] is null or position.customer_id = any(:customers::uuid[]))
			and (:all or called.words like any(:pieces::text[]))
		order by (select count(*) from unnest(:pieces::text[]) piece where called.words like piece) desc, site.appointment_at nulls last, site.name, position.name limit :most`,
		{
			customer: customerId,
			customers: customers as string[],
			all: words.length === 0,
			pieces,
			most: MOST_CANDIDATES
		}
	);
	return rows;
}
