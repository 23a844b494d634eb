import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { NO_RULES } from '../../../core/config';
import {
	acceptedInto,
	findingsBetween,
	ownStatement,
	valuesBehind,
	type FieldValue
} from '../../../core/drift';
import { counted } from '../../../core/text';
import { isSecretType, MASK, maskSecrets, ownWords, SCOPES, type Scope } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { wholeTextOf } from '../archive';
import { changing, TakenBack } from '../change';
import { database } from '../database';
import { keyedHash, seal, unseal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notifyEach } from '../live';
import { saveValuesIn, type SheetTarget } from '../plan';
import {
	addOwnIn,
	fieldsOfRevision,
	renderingSources,
	renderManyApart,
	type PositionRendering,
	type RenderingSource
} from '../profile';
import { countGroups, type GroupKey } from './groups';
import { orderLook } from './look';
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
interface Open {
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

async function openFindings(knex: Knex, ids: readonly string[]): Promise<Act<readonly Open[]>> {
	const { rows } = await knex.raw(
		`select finding.id, encode(finding.key, 'hex') as hash, finding.unit_id as "unitId", finding.customer_id as "customerId",
			finding.position_id as "positionId", binding.run_id as "runId", serial, site.name || ', ' || position.name as "where", given.rendering, given.checks,
			(select max(number) from archive_version v where v.unit_id = finding.unit_id) as version
		from finding join unit on unit.id = finding.unit_id join binding on binding.unit_id = unit.id and binding.position_id = finding.position_id
		join position on position.id = finding.position_id join site on site.id = position.site_id
		join lateral (
			select rendering, checks from served where served.position_id = finding.position_id and served.unit_id = finding.unit_id order by at desc limit 1
		) given on true
		where finding.id = any (?::uuid[]) and finding.ended_at is null order by finding.id`,
		[[...ids]]
	);
	if (rows.length === 0) return refuse('This is so no more; nothing is to be accepted.');
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
		if (!found) return refuse(`What ${row.where} runs was read anew meanwhile. Look again.`);
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

const rulesOf = ({ model }: RenderingSource) =>
	({ dialect: model!.dialect, rules: { ...NO_RULES, ...model!.rules } }) as const;

/** What a place would have to have as values, by the finding; null where no value explains what runs. */
const guessesOf = (open: readonly Open[]): ReadonlyMap<Open, readonly FieldValue[]> | null => {
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

const READ_ANEW = 'What runs there was read anew meanwhile. Look again.';

/** What no value explains becomes statements of the positions' own; null where that cannot be. */
function ownOption(open: readonly Open[]): AcceptOption | null {
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

const HOLDERS = { customer: 'customerId', site: 'siteId', position: 'positionId' } as const;
const narrowerThan = (scope: SheetTarget): readonly Scope[] => SCOPES.slice(SCOPES.indexOf(scope) + 1);
const isGivenNarrower = ({ scoped }: RenderingSource, scope: SheetTarget, field: string): boolean =>
	narrowerThan(scope).some((one) => scoped[one] && Object.hasOwn(scoped[one], field));

async function optionAt(
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

/**
 * Makes the plan say what runs: the values that explain it are given at a scope, and what runs there is what should run
 * from now on. Whoever may set values for the customer may. Refused: what no value explains; when the rendering with the
 * new values would not say what runs after all; when anything has changed meanwhile.
 */
export const acceptFindings = (
	findingIds: readonly string[],
	scope: AcceptScope,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const open = await openFindings(trx, findingIds);
		if (!open.ok) return open;
		if (!open.done.every(({ customerId }) => actor.may('set values', customerId)))
			return refuse('You may not set values for this customer.');
		const guesses = guessesOf(open.done);
		const option =
			scope === 'own text'
				? guesses
					? null
					: ownOption(open.done)
				: guesses && (await optionAt(trx, scope, guesses));
		if (!option) return refuse('This cannot be accepted there. Look again.');
		const followed =
			scope === 'own text'
				? await giveOwn(trx, open.done)
				: await giveValues(trx, changesFor(guesses!, scope), actor);
		if (!followed.ok) throw new TakenBack(followed);
		const accepted = await asIntended(trx, open.done, actor);
		if (!accepted.ok) throw new TakenBack(accepted);
		await enterInLedger(
			trx,
			actor,
			open.done.map(({ unitId, customerId, serial, where, id }) => ({
				act: 'accept finding',
				customerId,
				subjectKind: 'unit' as const,
				subjectId: unitId,
				words: `What ${serial} at ${where} runs is accepted into the plan: ${option.values
					.map(({ field, now }) => (scope === 'own text' ? now : `“${field}” is ${now}, given by ${scope}`))
					.join(', ')}.`.slice(0, 2_000),
				detail: { findingId: id }
			}))
		);
		return done({ count: open.done.length });
	});

async function giveValues(
	trx: Knex,
	changes: Parameters<typeof saveValuesIn>[1],
	actor: Actor
): Promise<Act> {
	const saved = await saveValuesIn(trx, changes, actor);
	return saved.ok ? done(undefined) : refuse(saved.cells.map(({ message }) => message).join(' '));
}

async function giveOwn(trx: Knex, open: readonly Open[]): Promise<Act> {
	for (const { positionId, running, key, rendering, source } of open) {
		const rules = rulesOf(source);
		const own = ownStatement({ running, key, intended: rendering.text, ...rules })!;
		const given = await addOwnIn(trx, positionId, rules.dialect, [own]);
		if (!given.ok) return given;
	}
	return done(undefined);
}

/** One cell for each holder and field: of several positions of one site the site has it once. */
function changesFor(guesses: ReadonlyMap<Open, readonly FieldValue[]>, scope: SheetTarget) {
	const cells = new Map<string, Parameters<typeof saveValuesIn>[1][number]>();
	for (const [{ source, positionId }, guess] of guesses)
		for (const { field, now } of guess)
			cells.set(`${source[HOLDERS[scope]]} ${field}`, { positionId, field, target: scope, now });
	return [...cells.values()];
}

/** What runs is what should run from now on, once the plan says the same. */
async function asIntended(trx: Knex, open: readonly Open[], actor: Actor): Promise<Act> {
	const sources = await renderingSources(
		trx,
		open.map(({ positionId }) => positionId)
	);
	const rendered = await renderManyApart(open.map(({ positionId }) => sources.get(positionId)!));
	for (const [index, one] of open.entries()) {
		const rendering = rendered[index]!;
		const rules = rulesOf(one.source);
		const left =
			rendering.ok &&
			findingsBetween(
				{ ...rules, intended: rendering.text, running: one.running },
				await placeAt(one.source)
			);
		const next = acceptedInto({ ...rules, intended: one.intended, running: one.running }, new Set([one.key]));
		if (!left || !left.ok || left.findings.some(({ key }) => key === one.key) || next === null)
			return refuse(
				`With this value ${one.where} would not be told to run what it runs. Nothing was changed.`
			);
		await trx('intention').insert({
			id: uuid(),
			unit_id: one.unitId,
			position_id: one.positionId,
			customer_id: one.customerId,
			run_id: one.runId,
			revision_id: one.source.revision?.id ?? null,
			rendering: seal(next),
			checks: one.checks && seal(one.checks),
			accepted_by: actor.name
		});
	}
	const ended = await trx('finding')
		.whereIn(
			'id',
			open.map(({ id }) => id)
		)
		.whereNull('ended_at')
		.update({ ended_at: trx.fn.now(), ended: 'accepted' })
		.returning<GroupKey[]>(['same', 'customer_id']);
	if (ended.length < open.length)
		return refuse('Some of this has ended meanwhile. Look again; nothing was done.');
	await countGroups(trx, ended);
	for (const { unitId } of open) await orderLook(trx, unitId);
	await notifyEach(
		trx,
		'drift',
		open.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
	);
	return done(undefined);
}

export const acceptedWords = (count: number): string =>
	`The plan says now what ${counted(count, 'unit')} ${count === 1 ? 'runs' : 'run'}.`;
