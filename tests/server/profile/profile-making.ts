import type { Field } from '../../../src/core/profile';
import { database, runAs } from '../../../src/lib/server/database';
import type { Actor } from '../../../src/lib/server/ledger';
import {
	createPart,
	createProfile,
	impactOf,
	releasePart,
	releaseProfile,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	EMPTY_DRAFT,
	type ProfileDraft
} from '../../../src/lib/server/profile';
import { ACTOR, type TestPerson, unwalled } from '../making';

/** Of five digits for long: things stand in the order of their names. */
let named = 10_000;
/** A name for a field that no other test has. */
export const freshField = (what: string) => `${what}_${process.pid}_${++named}`;
export const fresh = (what: string) => `${what} ${process.pid} ${++named}`;
export const must = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};
export const why = (act: { ok: boolean; problem?: string }) => (act.ok ? 'done' : act.problem);
export const EMPTY = EMPTY_DRAFT;
export const REACH = `identity { name {{ hostname }}; }
clock { server time.example; }
resolver { server 192.0.2.53; }
wire {{ port.uplink }} { lease; }
keeper limen { key {{ limen.public_key | quoted }}; }
beacon { host {{ limen.call_home_host }}; port {{ limen.call_home_port }}; }
`;
export const field = (name: string, more: Partial<Field> = {}): Field => ({
	name,
	type: { kind: 'hostname' },
	description: '',
	example: '',
	need: 'required',
	scope: 'position',
	...more
});

/** A released part. */
export async function releasedPart(
	text: string,
	fields: Field[],
	actor: Actor = ACTOR
): Promise<{ id: string; revisionId: string }> {
	const { id } = must(
		await createPart({ name: fresh('Part'), summary: '', texts: { braced: text }, fields }, actor)
	);
	must(await releasePart(id, 1, 'for a test', actor));
	return { id, revisionId: (await revisionsOfPart(id))[0]!.id };
}

/** A released profile for gateways, with positions that follow it at sites of their own. */
export async function releasedProfile(
	parts: string[],
	positions: Record<string, unknown>[],
	customer = 'Southfold Physio',
	more: Partial<ProfileDraft> = {}
) {
	const { id } = must(
		await createProfile(
			{ name: fresh('Profile'), role: 'gateway', draft: { ...EMPTY, ...more, parts } },
			ACTOR
		)
	);
	must(await releaseProfile(id, 1, 'for a test', false, ACTOR));
	const ids: string[] = [];
	for (const values of positions) {
		const { rows } = await unwalled().raw(
			`with made as (insert into site (id, customer_id, name, time_zone, uplink) select gen_random_uuid(), id, ?, 'Pacific/Auckland', 'fibre' from customer where name = ? returning id, customer_id)
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), made.id, customer_id, 'gw-1', 'gateway', ?, ?::jsonb from made returning id`,
			[fresh('Profile site'), customer, id, JSON.stringify(values)]
		);
		ids.push(rows[0].id);
	}
	return { id, positions: ids };
}

/** The impact of a profile's draft, once it is computed. */
export async function impactFor(profileId: string, person: TestPerson) {
	const draft = (await revisionsOf(profileId)).find(({ state }) => state === 'draft')!;
	const revision = (await revisionsById(database(), [draft.id])).get(draft.id)!;
	return runAs({ kind: 'person', personId: person.id }, async () => {
		for (;;) {
			const impact = await impactOf(revision, person.id);
			if (impact.state !== 'working') return impact;
			// Computed beside this in the same process
			await new Promise((resolve) => setImmediate(resolve));
		}
	});
}
