import { createHash } from 'node:crypto';
import { v7 as uuid } from 'uuid';
import type { Dialect, DialectRules } from '../../../core/config';
import {
	guessPlace,
	type groupCollected,
	type Grouped,
	type Learning,
	type Learnt,
	type LearntChoice
} from '../../../core/takeon';
import { database } from '../database';
import { seal, unseal } from '../keys';
import { notify } from '../live';
import { limenKnown, releasedParts, renderingModels, type PartOfLibrary } from '../profile';
import { GivenUp, offMainThread, task } from '../threads';
import { takeOnById, textsOfTakeOn, unitsOfTakeOn, type LearntUnit, type TakeOnUnit } from './store';

/** So long a thread may take for all units, or for one group of them. */
const LONGEST_MS = 600_000;

export interface ToLearn {
	readonly learning: Learning;
	readonly choices: readonly LearntChoice[];
	/** What was learnt from the same before. */
	readonly base: Learnt | null;
}
export interface LearntNow {
	readonly base: Learnt;
	readonly result: Learnt;
	readonly problems: readonly string[];
}
const GROUP = task<Parameters<typeof groupCollected>, Grouped>('groupCollected');
const LEARN_GROUP = task<ToLearn, LearntNow>('learnGroup');

interface Before {
	readonly id: string;
	readonly choices: readonly LearntChoice[];
	readonly base: string | null;
	readonly profile_id: string | null;
}
interface Next extends LearntNow {
	readonly id: string;
	readonly isNew: boolean;
	readonly dialect: Dialect;
	readonly units: readonly string[];
	readonly key: string;
}

/**
 * Learns what a take-on wants: groups what is alike and learns a profile from each, on a thread. Choices stay with the group
 * that most of its units are in. What was wanted meanwhile is done by its own job, and nothing of this one is kept.
 */
export async function learnTakeOn(id: string): Promise<void> {
	const takeOn = await takeOnById(id);
	if (!takeOn || takeOn.endedAt !== null || takeOn.learnt === takeOn.wanted) return;
	const { wanted, customerId } = takeOn;
	const [units, texts, before] = await Promise.all([
		unitsOfTakeOn(id),
		textsOfTakeOn(id),
		database()('take_on_group').where({ take_on_id: id }).orderBy('ordinal').select<Before[]>('*')
	]);
	try {
		const [known, library] = await Promise.all([renderingModels(database()), releasedParts()]);
		const models = [...known.values()];
		const grouped = await offMainThread(
			GROUP,
			[
				units.map((unit) => ({
					id: unit.id,
					text: texts.get(unit.id)!,
					modelId: unit.modelSaid ? unit.modelId : null
				})),
				models.map(({ id: model, dialect, rules, grammar, ports }) => ({
					id: model,
					dialect,
					rules,
					grammar,
					ports: Object.values(ports)
				}))
			],
			LONGEST_MS
		);
		const groups: Next[] = [];
		const free = new Map(before.map((group) => [group.id, group]));
		for (const group of grouped.groups)
			groups.push(
				await learnGroup(
					{ ...group, models: grouped.models, customer: takeOn.customer, known, library },
					units,
					texts,
					takeKept(group.units, units, free)
				)
			);
		await keep({ id, customerId, wanted }, grouped, groups, units);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		await database().transaction(async (trx) => {
			await trx('take_on').where({ id, wanted }).update({ learnt: wanted, problem: error.message });
			await notify(trx, 'take-ons', customerId, [id]);
		});
	}
}

/** The group of before that most of these units were in; nobody else gets it. */
function takeKept(
	ids: readonly string[],
	units: readonly TakeOnUnit[],
	free: Map<string, Before>
): Before | null {
	const within = new Set(ids);
	const counts = new Map<string, number>();
	for (const { id, groupId } of units)
		if (groupId !== null && within.has(id) && free.has(groupId))
			counts.set(groupId, (counts.get(groupId) ?? 0) + 1);
	const [most] = [...counts].sort(([, a], [, b]) => b - a);
	if (!most) return null;
	const kept = free.get(most[0])!;
	free.delete(kept.id);
	return kept;
}

interface ToGroup extends Pick<Grouped, 'models'> {
	readonly dialect: Dialect;
	readonly rules: DialectRules;
	readonly units: readonly string[];
	readonly customer: string;
	readonly known: Awaited<ReturnType<typeof renderingModels>>;
	readonly library: readonly PartOfLibrary[];
}

async function learnGroup(
	{ dialect, rules, units: ids, customer, models, known, library }: ToGroup,
	units: readonly TakeOnUnit[],
	texts: ReadonlyMap<string, string>,
	before: Before | null
): Promise<Next> {
	const byId = new Map(units.map((unit) => [unit.id, unit]));
	const own = ids.map((id) => byId.get(id)!);
	// Only what a person said of all of them is known: guesses come from the configurations themselves
	const arePlaced = own.every(({ isPlaced }) => isPlaced);
	const writtenOut = new Set(
		before?.choices.flatMap((choice) => (choice.kind === 'write out' ? [choice.part] : []))
	);
	const learning: Learning = {
		dialect,
		rules,
		units: own.map(({ id, site, position }) => ({
			id,
			text: texts.get(id)!,
			known: {
				customer: { name: customer },
				port: known.get(models[id] ?? '')?.ports ?? {},
				limen: limenKnown(),
				...(arePlaced && { site: { name: site }, position: { name: position } })
			}
		})),
		library: library.flatMap(({ id, partId, name, texts: said, fields }) =>
			said[dialect] !== undefined && !writtenOut.has(partId)
				? [{ id, name, text: said[dialect], fields }]
				: []
		)
	};
	const key = createHash('sha256').update(JSON.stringify(learning)).digest('hex');
	const kept = before?.base ? (JSON.parse(unseal(before.base)) as { key: string; learnt: Learnt }) : null;
	const learnt = await offMainThread(
		LEARN_GROUP,
		{ learning, choices: before?.choices ?? [], base: kept?.key === key ? kept.learnt : null },
		LONGEST_MS
	);
	return { ...learnt, id: before?.id ?? uuid(), isNew: before === null, dialect, units: ids, key };
}

interface Wish {
	readonly id: string;
	readonly customerId: string;
	readonly wanted: number;
}

async function keep(
	{ id, customerId, wanted }: Wish,
	grouped: Grouped,
	groups: readonly Next[],
	units: readonly TakeOnUnit[]
): Promise<void> {
	await database().transaction(async (trx) => {
		const now = await trx('take_on').where({ id }).forUpdate().first('wanted', 'ended_at');
		if (now?.wanted !== wanted || now.ended_at !== null) return;
		await trx('take_on_group')
			.where({ take_on_id: id })
			.whereNotIn(
				'id',
				groups.map((group) => group.id)
			)
			.delete();
		for (const [ordinal, group] of groups.entries()) {
			const columns = {
				ordinal,
				dialect: group.dialect,
				base: seal(JSON.stringify({ key: group.key, learnt: group.base })),
				result: seal(JSON.stringify(group.result)),
				problems: group.problems
			};
			if (group.isNew)
				await trx('take_on_group').insert({
					...columns,
					id: group.id,
					take_on_id: id,
					customer_id: customerId
				});
			else await trx('take_on_group').where({ id: group.id }).update(columns);
		}
		const groupOf = new Map(groups.flatMap((group) => group.units.map((unit) => [unit, group] as const)));
		await trx.raw(
			`update take_on_unit unit set group_id = w."group", model_id = coalesce(w.model, case when model_said then model_id end),
				unread = w.unread, guessed_site = w.site, guessed_position = w.position, learnt = w.learnt
			from jsonb_to_recordset(?::jsonb) as w(id uuid, "group" uuid, model text, unread text, site text, position text, learnt text)
			where unit.id = w.id`,
			[JSON.stringify(units.map((unit) => unitRow(unit, grouped, groupOf.get(unit.id))))]
		);
		await trx('take_on').where({ id }).update({ learnt: wanted, problem: '' });
		await notify(trx, 'take-ons', customerId, [id]);
	});
}

function unitRow({ id, name }: TakeOnUnit, grouped: Grouped, group: Next | undefined) {
	const proof = group?.result.proofs.find((one) => one.id === id);
	const learnt: LearntUnit | null = proof
		? {
				values: group!.result.values[id]!,
				usual: {
					...Object.fromEntries(
						group!.result.fields.flatMap((field) =>
							field.fallback === undefined ? [] : [[field.name, field.fallback]]
						)
					),
					...group!.result.shared
				},
				holds: proof.holds,
				own: proof.own,
				atSite: group!.result.fields.filter(({ scope }) => scope === 'site').map((field) => field.name)
			}
		: null;
	return {
		id,
		group: group?.id ?? null,
		model: grouped.models[id] ?? null,
		unread: (grouped.unread[id] ?? group?.result.unread.find((one) => one.id === id)?.problem ?? '').slice(
			0,
			500
		),
		...guessed(name, group?.result.seen[id] ?? {}),
		learnt: learnt && seal(JSON.stringify(learnt))
	};
}

/** Where a unit seems to be: by what it calls itself, or else by the name it was brought under. */
function guessed(name: string, seen: Readonly<Record<string, string | null>>) {
	const valueOf = (word: RegExp) =>
		Object.entries(seen).find(([field, value]) => word.test(field) && value)?.[1] ?? null;
	return guessPlace(valueOf(/(?:^|_)host_?name$/) ?? name, valueOf(/(?:^|_)location$/));
}
