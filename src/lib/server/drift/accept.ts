import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { acceptedInto, findingsBetween, ownStatement, type FieldValue } from '../../../core/drift';
import { counted } from '../../../core/text';
import { refuse, done, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { seal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notifyEach } from '../live';
import { saveValuesIn, type SheetTarget } from '../plan';
import { addOwnIn, renderingSources, renderManyApart } from '../profile';
import {
	guessesOf,
	HOLDERS,
	openFindings,
	optionAt,
	ownOption,
	rulesOf,
	type AcceptScope,
	type Open
} from './acceptance';
import { countGroups, type GroupKey } from './groups';
import { orderLook } from './look';
import { placeAt } from './place';

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
