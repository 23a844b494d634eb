import type { Knex } from 'knex';
import { nextOpen, NO_RULE, windowOf, type Span, type Window, type WindowRule } from '../../../core/windows';
import { database } from '../database';

/** Whose rule it is: a customer's, or that of one of its patterns or sites. */
export interface RuleOwner {
	readonly customerId: string;
	readonly patternId: string | null;
	readonly siteId: string | null;
}

/** Rules from the outermost in, with where each is stated. */
export interface StatedRule {
	readonly of: 'customer' | 'pattern' | 'site';
	readonly name: string;
	readonly rule: WindowRule;
}

/** The window of each of these sites. */
export async function windowsAt(
	knex: Knex,
	siteIds: readonly string[]
): Promise<ReadonlyMap<string, Window>> {
	const { rows } = await knex.raw(
		`select site.id, site.time_zone as zone, coalesce(array_agg(stated.rule order by stated.site_id is not null, stated.pattern_id is not null)
			filter (where stated.rule is not null), '{}') as rules
		from site left join window_rule stated on stated.customer_id = site.customer_id
			and (stated.site_id = site.id or (stated.site_id is null and (stated.pattern_id is null or stated.pattern_id = site.pattern_id)))
		where site.id = any (?::uuid[]) group by site.id`,
		[[...new Set(siteIds)]]
	);
	// Sites that follow the same rules in the same zone share their window, and what is computed of it
	const shared = new Map<string, Window>();
	return new Map(
		(rows as { id: string; zone: string; rules: WindowRule[] }[]).map(({ id, zone, rules }) => {
			const key = JSON.stringify([zone, rules]);
			const window = shared.get(key) ?? windowOf(rules, zone);
			shared.set(key, window);
			return [id, window];
		})
	);
}

/** The window of one site. */
export const windowAt = async (siteId: string, knex: Knex = database()): Promise<Window> =>
	(await windowsAt(knex, [siteId])).get(siteId) ?? windowOf([], 'UTC');

/** How it is with a site's window at a moment. */
export interface WindowNow {
	readonly window: Window;
	/** The one that is open, else the next; null when none is to come. */
	readonly next: Span | null;
	readonly isOpen: boolean;
	/** Whom to ask, where the contact is asked first. */
	readonly contact: string;
}

export async function windowNow(siteId: string, at: number, knex: Knex = database()): Promise<WindowNow> {
	const [window, site] = await Promise.all([
		windowAt(siteId, knex),
		knex('site').where({ id: siteId }).first('contact', 'phone')
	]);
	const next = nextOpen(window, at);
	return {
		window,
		next,
		isOpen: next?.from === at,
		contact: [site?.contact, site?.phone].filter(Boolean).join(', ')
	};
}

/** What a customer states for all its sites, and which of its patterns and sites state something of their own. */
export interface StatedWindows {
	readonly customerId: string;
	readonly customerName: string;
	readonly rule: WindowRule | null;
	readonly patterns: readonly { readonly id: string; readonly name: string }[];
	/** The first few, by name. */
	readonly sites: readonly { readonly id: string; readonly name: string }[];
	readonly siteCount: number;
}
const MOST_NAMED = 5;

/** The windows of every customer that whoever asks may see. */
export async function statedWindows(): Promise<StatedWindows[]> {
	const { rows } = await database().raw(
		`select customer.id as "customerId", customer.name as "customerName",
			(select rule from window_rule w where w.customer_id = customer.id and w.pattern_id is null and w.site_id is null) as rule,
			coalesce((select json_agg(json_build_object('id', p.id, 'name', p.name) order by p.name)
				from window_rule w join site_pattern p on p.id = w.pattern_id where w.customer_id = customer.id), '[]') as patterns,
			coalesce((select json_agg(named) from (
				select s.id, s.name from window_rule w join site s on s.id = w.site_id where w.customer_id = customer.id order by s.name limit ?
			) named), '[]') as sites,
			(select count(*)::int from window_rule w where w.customer_id = customer.id and w.site_id is not null) as "siteCount"
		from customer order by customer.name`,
		[MOST_NAMED]
	);
	return rows;
}

/** The rule that is stated here, with what is stated further out. */
export async function rulesOf(owner: RuleOwner): Promise<{
	readonly own: WindowRule;
	readonly edit: number;
	readonly further: readonly StatedRule[];
}> {
	const rows: {
		rule: WindowRule;
		edit: number;
		patternId: string | null;
		siteId: string | null;
		name: string;
	}[] = await database()('window_rule')
		.join('customer', 'customer.id', 'window_rule.customer_id')
		.leftJoin('site_pattern', 'site_pattern.id', 'window_rule.pattern_id')
		.where('window_rule.customer_id', owner.customerId)
		.where((query) =>
			query.whereNull('window_rule.site_id').orWhere('window_rule.site_id', owner.siteId ?? owner.customerId)
		)
		.select(
			'rule',
			'window_rule.edit',
			'window_rule.pattern_id as patternId',
			'site_id as siteId',
			database().raw('coalesce(site_pattern.name, customer.name) as name')
		);
	const patternId = owner.siteId
		? ((await database()('site').where({ id: owner.siteId }).first('pattern_id'))?.pattern_id ?? null)
		: null;
	const own = rows.find((row) => row.patternId === owner.patternId && row.siteId === owner.siteId);
	const further = rows
		.filter(
			(row) => row !== own && row.siteId === null && (row.patternId === null || row.patternId === patternId)
		)
		.sort((one, other) => Number(one.patternId !== null) - Number(other.patternId !== null))
		.map(({ patternId: pattern, name, rule }) => ({
			of: pattern ? ('pattern' as const) : ('customer' as const),
			name,
			rule
		}));
	return { own: own?.rule ?? NO_RULE, edit: own?.edit ?? 0, further };
}

/** The time zones of the sites for which a rule is stated, the most frequent first. */
export async function zonesOf({
	customerId,
	patternId,
	siteId
}: RuleOwner): Promise<{ readonly zone: string; readonly sites: number }[]> {
	const { rows } = await database().raw(
		`select time_zone as zone, count(*)::int as sites from site where customer_id = :customerId
			and (:patternId::uuid is null or pattern_id = :patternId::uuid) and (:siteId::uuid is null or id = :siteId::uuid)
		group by time_zone order by count(*) desc, time_zone`,
		{ customerId, patternId, siteId }
	);
	return rows;
}
