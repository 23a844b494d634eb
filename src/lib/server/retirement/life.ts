import { LIFE_KINDS_IN_ORDER, type LifeEvent, type LifeKind } from '../../../core/life';
import { sendWords, type SendState } from '../../../core/send';
import { database } from '../database';

export const LIFE_AT_ONCE = 200;

interface Wanted {
	readonly kinds?: readonly LifeKind[];
	/** What is older than this. */
	readonly before?: Date | null;
	/** Whether what people did is told: for whoever may see records. */
	readonly records: boolean;
	readonly isRetired: boolean;
	readonly limit?: number;
}

/** The rows of a unit in a table: where they are while it is in use, or where they are kept once it is retired. */
const rowsOf = (table: string, isRetired: boolean): string =>
	isRetired
		? `(select (jsonb_populate_record(null::${table}, content)).* from retired_row kept
			where kept.unit_id = :unit and kept.destroy_on = (select destroy_on from retired_unit where id = :unit) and what = '${table}')`
		: `(select * from ${table} where unit_id = :unit)`;

/** Each kind's rows as `id, at, kind, title, words, by`. */
function sources(isRetired: boolean): { readonly [Kind in LifeKind]: string } {
	const of = (table: string) => rowsOf(table, isRetired);
	return {
		person: `select id::text, at, 'person', act, concat_ws(' ', words, 'Why: ' || reason), actor from ledger_entry where subject_kind = 'unit' and subject_id = :unit::text
			union all select id::text, claimed_at, 'person', 'taken in', '', '' from ${isRetired ? 'retired_unit' : 'unit'} where id = :unit`,
		run: `select run.id || ' begun', begun_at, 'run', 'onboarding ' || number || ' began', '', '' from run where unit_id = :unit
			union all select run.id || ' ended', ended_at, 'run', 'onboarding ' || number || case outcome when 'through' then ' came through' when 'failed' then ' failed' else ' was cancelled' end,
				coalesce(failure_words, ''), '' from run where unit_id = :unit and ended_at is not null`,
		place: `select distinct on (run.position_id) run.position_id::text, begun_at, 'place', site.name || ', ' || position.name, '', ''
			from run join position on position.id = run.position_id join site on site.id = position.site_id where unit_id = :unit order by run.position_id, begun_at`,
		changed: `select id::text, at, 'changed', 'version ' || number || case how when 'first' then ', the first that was read' when 'outside' then ', changed outside of Limen'
				when 'send' then ', by a send' when 'back' then ', gone back' else ', by its onboarding' end, lines || ' lines, firmware ' || firmware, by_whom from ${of('archive_version')} v`,
		send: `select id::text, coalesce(ended_at, asked_at), 'send', state, coalesce(reason, ''), asked_by from send where unit_id = :unit`,
		firmware: `select id::text, coalesce(ended_at, asked_at), 'firmware', 'from ' || from_version || ' to ' || path[cardinality(path)] || ': ' || state, coalesce(refusal, reason, ''), asked_by
			from flash where unit_id = :unit`,
		alert: `select id || ' begun', begun_at, 'alert', 'an alert began', words, '' from ${of('alert')} a
			union all select id || ' seen', seen_at, 'alert', 'an alert was seen', words, coalesce(owner, seen_by) from ${of('alert')} a where seen_at is not null
			union all select id || ' ended', ended_at, 'alert', 'an alert ended', words, '' from ${of('alert')} a where ended_at is not null`,
		away: `select from_at::text, to_at, 'away', 'it was away', 'From ' || to_char(from_at at time zone 'UTC', 'YYYY-MM-DD HH24:MI') || ' to ' ||
			to_char(to_at at time zone 'UTC', 'YYYY-MM-DD HH24:MI') || ' UTC' || case when planned <> '' then ', while ' || planned else '' end || '.', '' from ${of('absence')} a`,
		fact: `select fact || since, since, 'fact', fact, value, '' from ${of('unit_fact')} f`
	};
}

/** A unit's life, the latest first, also of one that is retired. */
export async function lifeOf(
	unitId: string,
	{ kinds = LIFE_KINDS_IN_ORDER, before = null, records, isRetired, limit = LIFE_AT_ONCE }: Wanted
): Promise<readonly LifeEvent[]> {
	const all = sources(isRetired);
	const told = kinds.filter((kind) => kind !== 'person' || records);
	if (told.length === 0) return [];
	const { rows } = await database().raw(
		`select * from (${told.map((kind) => `select * from (${all[kind]}) ${kind}_of (id, at, kind, title, words, by)`).join('\n union all ')}) life
		where :before::timestamptz is null or at < :before::timestamptz order by at desc, kind, id limit :limit`,
		{ unit: unitId, before, limit }
	);
	return (rows as LifeEvent[]).map((one) =>
		one.kind === 'send' ? { ...one, title: sendWords(one.title as SendState) } : one
	);
}
