import { v7 as uuid } from 'uuid';
import { isSecretType } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { unseal } from '../keys';
import type { Actor } from '../ledger';
import { fieldsOfRevision, renderingSources, type ImpactResult } from '../profile';
import type { What } from './what';

export const MOST_POSITIONS = 2_000;

/** What looking at a small change has shown. */
export interface SmallChangeResult extends ImpactResult {
	/** Positions where nothing can or need be done, by why. */
	readonly left: readonly { readonly words: string; readonly count: number }[];
	/** Those that get something else. */
	readonly changed: readonly string[];
}
/** A change for many positions that somebody looks at. */
export interface SmallChange {
	readonly id: string;
	readonly positions: readonly string[];
	readonly what: What | null;
	readonly edit: number;
	readonly state: 'open' | 'working' | 'done' | 'failed' | 'kept';
	readonly done: number;
	readonly result: SmallChangeResult | null;
}

/** A change that somebody has begun; undefined when it is not theirs, or there is none. */
export async function smallChangeById(id: string): Promise<SmallChange | undefined> {
	const row = await database()('small_change')
		.where({ id })
		.first('id', 'positions', 'what', 'edit', 'state', 'done', 'result');
	return row && { ...row, what: row.what && (JSON.parse(unseal(row.what)) as What) };
}

/** Begins a small change for the positions of units that are online. Whoever may send and set values at all their customers may. */
export async function beginSmallChange(
	unitIds: readonly string[],
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (!actor.personId) return refuse('Only a person can begin this.');
	const { rows } = await database().raw(
		`select binding.position_id as id, binding.customer_id as "customerId" from binding join run on run.id = binding.run_id and outcome = 'through'
		where binding.unit_id = any (?::uuid[])`,
		[[...unitIds]]
	);
	const places = rows as { id: string; customerId: string }[];
	if (places.length === 0) return refuse('None of these units is online.');
	if (places.length > MOST_POSITIONS)
		return refuse(`At most ${MOST_POSITIONS.toLocaleString('en')} units at once.`);
	const customers = [...new Set(places.map(({ customerId }) => customerId))];
	if (customers.some((customer) => !actor.may('send', customer) || !actor.may('set values', customer)))
		return refuse('You may not change what is planned for all of these customers.');
	const id = uuid();
	await database()('small_change').insert({
		id,
		person_id: actor.personId,
		positions: places.map((place) => place.id)
	});
	return done({ id });
}

/** What can be changed there: fields, each with how many of the positions have it; and models, each with how many units. */
export interface Changeable {
	readonly fields: readonly { readonly name: string; readonly description: string; readonly count: number }[];
	readonly models: readonly { readonly name: string; readonly dialect: string; readonly count: number }[];
	readonly present: number;
}

export async function changeableAt(positions: readonly string[]): Promise<Changeable> {
	const sources = [...(await renderingSources(database(), positions)).values()];
	const fields = new Map<string, { name: string; description: string; count: number }>();
	const models = new Map<string, { name: string; dialect: string; count: number }>();
	for (const { revision, model } of sources) {
		for (const { name, description, type, formula } of revision ? fieldsOfRevision(revision) : []) {
			if (isSecretType(type) || formula !== undefined) continue;
			const known = fields.get(name);
			if (known) known.count++;
			else fields.set(name, { name, description, count: 1 });
		}
		if (!model) continue;
		const known = models.get(model.id);
		if (known) known.count++;
		else models.set(model.id, { name: model.name, dialect: model.dialect, count: 1 });
	}
	return {
		fields: [...fields.values()].sort((a, b) => b.count - a.count || a.name.localeCompare(b.name)),
		models: [...models.values()].sort((a, b) => b.count - a.count),
		present: sources.length
	};
}
