import { ROWS_AT_ONCE, type ListQuery } from '../../../core/list';
import { allOf, containing, listCounts, listIds, listRows, type ListRows, type ListSource } from '../list';

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

const STANDING = `case when unit.out_of_service_at is not null then 'out of service' when unit.ownership = 'refused' then 'refused'
	when held.unit_id is null or held.standing = 'open' then 'free' else held.standing end`;

/** What each column is sorted by. */
const SORTS: Readonly<Record<string, string>> = {
	serial: 'unit.serial',
	model: 'model.name',
	standing: `array_position(array['refused', 'stuck', 'stalled', 'not-heard', 'late', 'moving', 'waiting', 'free', 'online', 'out of service'], ${STANDING})`,
	place: 'lower(site.name)',
	version: 'unit.reported_version',
	heard: 'unit.heard_at',
	claimed: 'unit.claimed_at',
	drift: 'drifted.state',
	shipped: 'lower(shipped.name)',
	customer: 'customer.name'
};

/** How the run goes where a unit stands so: it is found by that first, since of most units nothing else needs to be worked out. */
const OUTCOMES: Readonly<Record<string, string>> = {
	...{ stuck: `'failed', 'open'`, stalled: `'open'`, late: `'open'`, moving: `'open'`, waiting: `'open'` },
	...{ 'not-heard': `'through'`, online: `'through'` }
};

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** Units with what stands beside each, of which PostgreSQL leaves out what is not asked for; `held`: where they are. */
const unitsAt = (
	held: string
) => `unit join model on model.id = unit.model_id left join customer on customer.id = unit.customer_id
	left join ${held} held on held.unit_id = unit.id
	left join position on position.id = held.position_id left join site on site.id = position.site_id
	left join unit_drift drifted on drifted.unit_id = unit.id and drifted.position_id = held.position_id
	left join unit_due due on due.unit_id = unit.id and due.position_id = held.position_id
	left join site shipped on shipped.id = unit.shipped_site_id`;

function source(
	customerId: string | null,
	{ text, filters, sort }: Pick<ListQuery, 'text' | 'filters'> & Partial<Pick<ListQuery, 'sort'>>,
	isCounted = false
): ListSource {
	const { model, version, batch, step, profile, age, field, drift, standing } = filters;
	const said = text.trim();
	const printed = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
	const digits = text.toLowerCase().replace(/[^0-9a-f]/g, '');
	// How a unit stands is worked out from nine tables, where it is, is read from one
	const tellsStanding = isCounted || sort?.column === 'standing' || Boolean(standing || step);
	return {
		id: 'unit.id',
		from: `${unitsAt(tellsStanding ? 'position_standing' : 'binding')}
			where ${allOf([
				customerId !== null && 'unit.customer_id = :customer::uuid',
				Boolean(model) && 'unit.model_id = :model',
				Boolean(version) && 'unit.reported_version = :version',
				Boolean(batch) && 'unit.batch_id = :inBatch::uuid',
				Boolean(step) && 'held.step = :step',
				Boolean(profile) && 'position.profile_id = :ofProfile::uuid',
				/^\d{1,5}$/.test(age ?? '') && 'unit.claimed_at < now() - make_interval(days => :age::int)',
				Boolean(field) &&
					'coalesce(position.values ->> :field, site.values ->> :field, customer.values ->> :field) = :value',
				Boolean(drift) && (drift === 'behind' ? 'due.is_behind' : 'drifted.state = :state'),
				said !== '' &&
					`(${[
						printed !== '' && 'unit.serial like :serial',
						digits.length >= 4 && 'limen_plain_mac(unit.mac) like :macs',
						`concat_ws(' ', site.name, position.name) ilike :like`
					]
						.filter(Boolean)
						.join(' or ')})`,
				standing !== undefined &&
					Object.hasOwn(OUTCOMES, standing) &&
					`held.outcome in (${OUTCOMES[standing]})`,
				Boolean(standing) && `${STANDING} = :standing`
			])}`,
		values: {
			customer: customerId,
			model,
			version,
			// What is no id is no batch
			inBatch: UUID.test(batch ?? '') ? batch : null,
			step,
			state: (drift ?? '').replaceAll('-', ' '),
			ofProfile: UUID.test(profile ?? '') ? profile : null,
			...fieldOf(field ?? ''),
			age: Number(age),
			standing,
			serial: containing(printed),
			macs: containing(digits),
			like: containing(said)
		},
		sort: SORTS[sort?.column ?? ''] ?? SORTS.serial!,
		tie: 'unit.serial',
		rows: (
			few
		) => `select unit.id, unit.serial, unit.mac::text as mac, model.name as "modelName", held.position_id as "positionId", held.step,
				unit.reported_version as version, unit.heard_at as "heardAt", unit.claimed_at as "claimedAt",
				position.name as "positionName", site.id as "siteId", site.name as "siteName", customer.name as "customerName", shipped.name as "shippedTo",
				${STANDING} as standing, drifted.state as drift, coalesce(due.is_behind, false) as "isBehind"
			from shown join (${unitsAt(
				few ? '(select * from position_standing where unit_id = any (:ids::uuid[]))' : 'position_standing'
			)}) on unit.id = shown.id::uuid order by place`
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
export const unitCounts = (customerId: string | null, { filters, text }: ListQuery) =>
	listCounts(source(customerId, { text, filters: { ...filters, standing: '' } }, true), STANDING);

/** The ids of all units that fit. */
export const unitIds = (
	customerId: string | null,
	{ filters, text }: ListQuery,
	most: number
): Promise<string[]> => listIds(source(customerId, { text, filters }), most);
