import { ROWS_AT_ONCE, type ListQuery } from '../../../core/list';
import { containing, listCounts, listIds, listRows, type ListRows, type ListSource } from '../list';

/** A unit as the list of units shows it. `free` has no position. */
export interface UnitLine {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly modelName: string;
	readonly standing:
		| 'refused'
		| 'stuck'
		| 'stalled'
		| 'not-heard'
		| 'late'
		| 'moving'
		| 'waiting'
		| 'free'
		| 'online'
		| 'out of service';
	readonly step: string | null;
	readonly positionId: string | null;
	readonly positionName: string | null;
	readonly siteId: string | null;
	readonly siteName: string | null;
	readonly shippedTo: string | null;
	readonly version: string | null;
	readonly heardAt: Date | string | null;
	readonly claimedAt: Date | string;
	/** Something else is released or planned for it than it was given. */
	readonly isBehind: boolean;
	/** What it runs, beside what it should run; null before it was looked at. */
	readonly drift: 'as intended' | 'differs' | 'unreadable' | null;
	readonly customerName: string;
}

const STANDING_ORDER = `array_position(array['refused', 'stuck', 'stalled', 'not-heard', 'late', 'moving', 'waiting', 'free', 'online', 'out of service'], standing)`;

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

function source(
	customerId: string | null,
	{ text, filters }: Pick<ListQuery, 'text' | 'filters'>
): ListSource {
	const printed = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
	const digits = text.toLowerCase().replace(/[^0-9a-f]/g, '');
	return {
		sql: `with listed as (
			select * from (
				select unit.id, unit.serial, unit.mac, model.name as "modelName", unit.model_id, stands.position_id as "positionId", stands.step,
					unit.reported_version as version, unit.heard_at as "heardAt", unit.claimed_at as "claimedAt", unit.shipped_site_id,
					position.name as "positionName", site.id as "siteId", site.name as "siteName", customer.name as "customerName",
					case when unit.out_of_service_at is not null then 'out of service' when unit.ownership = 'refused' then 'refused'
						when stands.unit_id is null or stands.standing = 'open' then 'free' else stands.standing end as standing, drifted.state as drift, coalesce(due.is_behind, false) as "isBehind"
				from unit join model on model.id = unit.model_id join customer on customer.id = unit.customer_id
				left join position_standing stands on stands.unit_id = unit.id
				left join position on position.id = stands.position_id left join site on site.id = stands.site_id
				left join unit_drift drifted on drifted.unit_id = unit.id and drifted.position_id = stands.position_id
				left join unit_due due on due.unit_id = unit.id and due.position_id = stands.position_id
				where (:customer::uuid is null or unit.customer_id = :customer::uuid) and (:model = '' or unit.model_id = :model) and (:version = '' or unit.reported_version = :version)
					and (:batch = '' or unit.batch_id = :inBatch::uuid) and (:step = '' or stands.step = :step)
					and (:profile = '' or position.profile_id = :ofProfile::uuid) and (:age::int is null or unit.claimed_at < now() - make_interval(days => :age::int))
					and (:field = '' or coalesce(position.values ->> :field, site.values ->> :field, customer.values ->> :field) = :value)
					and (:drift = '' or drifted.state = :state or (:drift = 'behind' and due.is_behind))
					and (:said = '' or (:printed <> '' and unit.serial like :serial) or (:digits <> '' and limen_plain_mac(unit.mac) like :macs)
						or concat_ws(' ', site.name, position.name) ilike :like)
			) one where :standing = '' or standing = :standing
		)`,
		values: {
			customer: customerId,
			said: text.trim(),
			model: filters.model ?? '',
			version: filters.version ?? '',
			batch: filters.batch ?? '',
			// What is no id is no batch
			inBatch: UUID.test(filters.batch ?? '') ? filters.batch! : null,
			step: filters.step ?? '',
			drift: filters.drift ?? '',
			state: (filters.drift ?? '').replaceAll('-', ' '),
			profile: filters.profile ?? '',
			ofProfile: UUID.test(filters.profile ?? '') ? filters.profile! : null,
			...fieldOf(filters.field ?? ''),
			age: /^\d{1,5}$/.test(filters.age ?? '') ? Number(filters.age) : null,
			standing: filters.standing ?? '',
			printed,
			serial: containing(printed),
			digits: digits.length >= 4 ? digits : '',
			macs: containing(digits),
			like: containing(text.trim())
		},
		sorts: {
			serial: 'serial',
			model: '"modelName"',
			standing: STANDING_ORDER,
			place: 'lower("siteName")',
			version: 'version',
			heard: '"heardAt"',
			claimed: '"claimedAt"',
			drift: 'drift',
			shipped: '(select lower(s.name) from site s where s.id = shipped_site_id)',
			customer: '"customerName"'
		},
		tie: 'serial, id',
		dressed: `select shown.*, shown.mac::text as mac, shipped.name as "shippedTo" from shown
			left join site shipped on shipped.id = shipped_site_id order by place`
	};
}

/** `name=value`; what is sealed matches nothing. */
function fieldOf(text: string): { readonly field: string; readonly value: string } {
	const [, field = '', value = ''] = /^([^=]+)=(.*)$/s.exec(text) ?? [];
	return { field: field.trim(), value: value.startsWith('sealed:') ? '' : value.trim() };
}

/** A window of the list of units. */
export const unitRows = (
	customerId: string | null,
	query: ListQuery,
	offset: number,
	limit = ROWS_AT_ONCE
): Promise<ListRows<UnitLine>> => listRows(source(customerId, query), query, offset, limit);

/** How many units there are by how they stand, among those that fit otherwise. */
export const unitCounts = (customerId: string | null, { filters, ...query }: ListQuery) =>
	listCounts(source(customerId, { ...query, filters: { ...filters, standing: '' } }), 'standing');

/** The ids of all units that fit. */
export const unitIds = (customerId: string | null, query: ListQuery, most: number): Promise<string[]> =>
	listIds(source(customerId, query), most);
