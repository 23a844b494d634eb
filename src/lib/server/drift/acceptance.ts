import type { Knex } from 'knex';
import { NO_RULES } from '../../../core/config';
import { findingsBetween, ownStatement, valuesBehind, type FieldValue } from '../../../core/drift';
import { isSecretType, MASK, maskSecrets, ownWords, SCOPES, type Scope } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { wholeTextOf } from '../archive';
import { database } from '../database';
import { keyedHash, unseal } from '../keys';
import type { SheetTarget } from '../plan';
import {
	fieldsOfRevision,
	renderingSources,
	renderManyApart,
	type PositionRendering,
	type RenderingSource
} from '../profile';
import { placeAt } from './place';

/** Where the plan is made to follow: values at a scope, or the position's own text. */
export type AcceptScope = SheetTarget | 'own text';
/** One way to make the plan say what runs. */
export interface AcceptOption {
	readonly scope: AcceptScope;
	/** So many places of the plan get a value. */
	readonly holders: number;
	readonly values: readonly {
		readonly holder: string;
		readonly field: string;
		readonly was: string;
		readonly now: string;
	}[];
	/** Other positions that would get another value with it. */
	readonly others: number;
	readonly otherNames: readonly string[];
}

/** Of so many units at once the plan is made to follow. */
export const MOST_ACCEPTED = 200;
/** So many positions are looked through for those that a wider value would change too. */
const MOST_OTHERS = 5_000;
const MOST_NAMES = 5;
const TARGETS = ['position', 'site', 'customer'] as const satisfies readonly SheetTarget[];

/** A finding with all that is needed to accept it. */
export interface Open {
	readonly id: string;
	readonly key: string;
	readonly unitId: string;
	readonly customerId: string;
	readonly positionId: string;
	readonly runId: string;
	readonly serial: string;
	readonly where: string;
	readonly intended: string;
	readonly checks: string | null;
	readonly running: string;
	readonly source: RenderingSource;
	readonly rendering: Extract<PositionRendering, { ok: true }>;
}

export async function openFindings(knex: Knex, ids: readonly string[]): Promise<Act<readonly Open[]>> {
	const { rows } = await knex.raw(
		`select finding.id, encode(finding.key, 'hex') as hash, finding.unit_id as "unitId", finding.customer_id as "customerId",
			finding.position_id as "positionId", binding.run_id as "runId", serial, site.name || ', ' || position.name as "where", given.rendering, given.checks,
			(select max(number) from archive_version v where v.unit_id = finding.unit_id) as version
		from finding join unit on unit.id = finding.unit_id join binding on binding.unit_id = unit.id and binding.position_id = finding.position_id
		join position on position.id = finding.position_id join site on site.id = position.site_id
		join lateral (
			select rendering, checks from served where served.position_id = finding.position_id and served.unit_id = finding.unit_id order by turn desc limit 1
		) given on true
		where finding.id = any (?::uuid[]) and finding.ended_at is null order by finding.id`,
		[[...ids]]
	);
	if (rows.length === 0) return refuse('This is no longer so; nothing is to be accepted.');
	if (rows.length > MOST_ACCEPTED)
		return refuse(`At most ${MOST_ACCEPTED} units at one go. Choose fewer of them.`);
	const sources = await renderingSources(
		knex,
		rows.map(({ positionId }: Open) => positionId)
	);
	const known = rows.flatMap((row: Open & { hash: string; rendering: string; version: number }) => {
		const source = sources.get(row.positionId);
		return source?.model ? [{ row, source }] : [];
	});
	const rendered = await renderManyApart(known.map(({ source }: { source: RenderingSource }) => source));
	const open: Open[] = [];
	for (const [index, { row, source }] of known.entries()) {
		const rendering = rendered[index]!;
		if (!rendering.ok)
			return refuse(
				`What ${row.where} should run cannot be computed, so nothing of it can be accepted. ${rendering.problems[0]?.message ?? ''}`
			);
		const running = (await wholeTextOf(knex, row.unitId, row.version)) ?? '';
		const intended = unseal(row.rendering);
		const looked = findingsBetween({ ...rulesOf(source), intended, running }, await placeAt(source));
		const found = looked.ok
			? looked.findings.find(({ key }) => keyedHash(key).toString('hex') === row.hash)
			: undefined;
		if (!found) return refuse(`What ${row.where} runs was read again meanwhile. Look again.`);
		open.push({
			...row,
			checks: row.checks && unseal(row.checks),
			key: found.key,
			intended,
			running,
			source,
			rendering
		});
	}
	return done(open);
}

export const rulesOf = ({ model }: RenderingSource) =>
	({ dialect: model!.dialect, rules: { ...NO_RULES, ...model!.rules } }) as const;

/** What a place would have to have as values, by the finding; null where no value explains what runs. */
export const guessesOf = (open: readonly Open[]): ReadonlyMap<Open, readonly FieldValue[]> | null => {
	const found = new Map<Open, readonly FieldValue[]>();
	for (const one of open) {
		const { rendering: rendered, running, key, source } = one;
		const behind = valuesBehind({ rendered, running, key, ...rulesOf(source) });
		if (!behind) return null;
		found.set(one, behind);
	}
	return found;
};

/** What can be done so that the plan says what runs: the narrowest that explains all of it first. */
export interface Acceptance {
	readonly options: readonly AcceptOption[];
	/** Why none of the values of the plan explains it. */
	readonly problem: string | null;
}

/**
 * In which ways findings that are the same can be accepted into the plan. Whoever may see renderings there may look.
 * Refused: when it is so no more, or its rendering cannot be computed.
 */
export async function acceptanceOf(findingIds: readonly string[]): Promise<Act<Acceptance>> {
	const open = await openFindings(database(), findingIds);
	if (!open.ok) return open;
	const guesses = guessesOf(open.done);
	if (!guesses) {
		const own = ownOption(open.done);
		return done({ options: own ? [own] : [], problem: own ? null : READ_ANEW });
	}
	const options = (await Promise.all(TARGETS.map((scope) => optionAt(database(), scope, guesses)))).flatMap(
		(option) => option ?? []
	);
	// What explains all of them with the fewest values and changes nothing else comes first, then the narrowest
	options.sort((a, b) => a.others - b.others || a.holders - b.holders);
	return done({
		options,
		problem: options.length === 0 ? 'Its value comes from the profile itself: change it there.' : null
	});
}

const READ_ANEW = 'What runs there was read again meanwhile. Look again.';

/** What no value explains becomes statements of the positions' own; null where that cannot be. */
export function ownOption(open: readonly Open[]): AcceptOption | null {
	const values = open.flatMap(({ running, key, rendering, source }) => {
		const own = ownStatement({ running, key, intended: rendering.text, ...rulesOf(source) });
		return own
			? [
					{
						holder: `${source.siteName}, ${source.positionName}`,
						field: 'own text',
						was: '',
						now: maskSecrets(ownWords(own))
					}
				]
			: [];
	});
	return values.length < open.length
		? null
		: { scope: 'own text', holders: values.length, values, others: 0, otherNames: [] };
}

export const HOLDERS = { customer: 'customerId', site: 'siteId', position: 'positionId' } as const;
const narrowerThan = (scope: SheetTarget): readonly Scope[] => SCOPES.slice(SCOPES.indexOf(scope) + 1);
const isGivenNarrower = ({ scoped }: RenderingSource, scope: SheetTarget, field: string): boolean =>
	narrowerThan(scope).some((one) => scoped[one] && Object.hasOwn(scoped[one], field));

export async function optionAt(
	knex: Knex,
	scope: SheetTarget,
	guesses: ReadonlyMap<Open, readonly FieldValue[]>
): Promise<AcceptOption | null> {
	const values = new Map<string, AcceptOption['values'][number]>();
	for (const [{ source }, guess] of guesses)
		for (const { field, was, now } of guess) {
			if (isGivenNarrower(source, scope, field)) return null;
			const holder = source[HOLDERS[scope]];
			const other = values.get(`${holder} ${field}`);
			if (other && other.now !== now) return null;
			const isSecret = isSecretField(source, field);
			values.set(`${holder} ${field}`, {
				holder:
					scope === 'customer'
						? source.customerName
						: scope === 'site'
							? source.siteName
							: `${source.siteName}, ${source.positionName}`,
				field,
				was: isSecret ? MASK : was,
				now: isSecret ? MASK : now
			});
		}
	const others = scope === 'position' ? [] : await othersWith(knex, scope, guesses);
	return {
		scope,
		holders: new Set([...values.keys()].map((key) => key.split(' ')[0])).size,
		values: [...values.values()],
		others: others.length,
		otherNames: others.slice(0, MOST_NAMES)
	};
}

const isSecretField = ({ revision }: RenderingSource, name: string): boolean =>
	fieldsOfRevision(revision!).some((field) => field.name === name && isSecretType(field.type));

/** Other positions whose profile has the field and that nothing narrower gives another value. */
async function othersWith(
	knex: Knex,
	scope: 'site' | 'customer',
	guesses: ReadonlyMap<Open, readonly FieldValue[]>
): Promise<readonly string[]> {
	const open = [...guesses.keys()];
	const own = new Set(open.map(({ positionId }) => positionId));
	const ids: string[] = await knex('position')
		.whereIn(scope === 'site' ? 'site_id' : 'customer_id', [
			...new Set(open.map(({ source }) => source[HOLDERS[scope]]))
		])
		.whereNotIn('id', [...own])
		.limit(MOST_OTHERS)
		.pluck('id');
	const fields = new Set([...guesses.values()].flat().map(({ field }) => field));
	const sources = await renderingSources(knex, ids);
	return [...sources.values()]
		.filter((source) => {
			const has = new Set(source.revision ? fieldsOfRevision(source.revision).map(({ name }) => name) : []);
			return [...fields].some((field) => has.has(field) && !isGivenNarrower(source, scope, field));
		})
		.map(({ siteName, positionName }) => `${siteName}, ${positionName}`);
}
