import { counted } from '../../../core/text';
import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { isTimeZone } from '../../../core/plan';
import {
	fieldsSchema,
	isSecretName,
	PURPOSE_IDS,
	UPLINK_KINDS,
	valuesSchema,
	type Values
} from '../../../core/profile';
import { seal } from '../keys';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { checksSchema, filesSchema, scriptsSchema, textsSchema, thingName, storedFile } from '../profile';

const name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(120));
const slug = v.pipe(v.string(), v.regex(/^[a-z][a-z0-9-]{0,40}$/));
const degrees = (most: number) => v.pipe(v.number(), v.minValue(-most), v.maxValue(most));

/** A whole plan in one document: what can be filled and where; by what is said by makers' packs. */
export const planSchema = v.object({
	parts: v.array(
		v.object({
			name: thingName,
			summary: v.optional(v.string(), ''),
			purpose: v.optional(v.picklist(PURPOSE_IDS)),
			texts: textsSchema,
			fields: fieldsSchema
		})
	),
	profiles: v.array(
		v.object({
			name: thingName,
			role: slug,
			/** Parts by name, in their order. */
			parts: v.array(v.string()),
			texts: v.optional(textsSchema, {}),
			targets: v.optional(v.record(slug, v.string()), {}),
			scripts: v.optional(scriptsSchema, {}),
			files: v.optional(filesSchema, []),
			checks: v.optional(checksSchema, []),
			values: valuesSchema,
			note: v.optional(v.string(), '')
		})
	),
	customers: v.array(v.object({ name, values: valuesSchema })),
	sites: v.array(
		v.object({
			customer: name,
			name,
			street: v.string(),
			locality: v.string(),
			latitude: degrees(90),
			longitude: degrees(180),
			timeZone: v.pipe(v.string(), v.check(isTimeZone, 'not an IANA time zone')),
			contact: v.string(),
			uplink: v.picklist(UPLINK_KINDS),
			sim: v.optional(v.string(), ''),
			apn: v.optional(v.string(), ''),
			values: v.optional(valuesSchema, {}),
			/** Days from today and the local time, for plans that are made to be tried: `+1 09:30`. */
			appointment: v.optional(v.nullable(v.pipe(v.string(), v.regex(/^\+\d{1,3} \d{2}:\d{2}$/))))
		})
	),
	positions: v.array(
		v.object({ customer: name, site: name, name, role: slug, profile: name, values: valuesSchema })
	)
});
export type Plan = v.InferOutput<typeof planSchema>;

/** Values as they are stored: what a field or its name calls a secret is sealed. */
const sealedBy =
	(declared: ReadonlySet<string>) =>
	<Row extends { values: Values }>(row: Row): Row => ({
		...row,
		values: Object.fromEntries(
			Object.entries(row.values).map(([field, value]) => [
				field,
				declared.has(field) || isSecretName(field) ? seal(String(value)) : value
			])
		)
	});

/**
 * Brings in a plan in one transaction. What exists already, by name, is left as it is, so that bringing
 * it in twice does no harm. Returns how many sites were new.
 */
export async function importPlan(plan: Plan, actor: Actor): Promise<number> {
	const declared = new Set(
		plan.parts.flatMap(({ fields }) =>
			fields.filter(({ type }) => type.kind === 'secret').map((field) => field.name)
		)
	);
	const sealed = sealedBy(declared);
	return database().transaction(async (trx) => {
		const json = (rows: readonly object[]) => JSON.stringify(rows.map((row) => ({ id: uuid(), ...row })));
		await trx.raw(
			`insert into customer (id, name, values) select id, name, values
			from jsonb_to_recordset(?::jsonb) as c(id uuid, name text, values jsonb) on conflict do nothing`,
			[json(plan.customers.map(sealed))]
		);
		const fresh = await trx.raw(
			`insert into site (id, customer_id, name, street, locality, latitude, longitude, time_zone, contact, uplink, sim, apn, values, appointment_at)
			select s.id, customer.id, s.name, street, locality, latitude, longitude, "timeZone", contact, uplink, sim, apn, s.values,
				((now() at time zone "timeZone")::date + split_part(appointment, ' ', 1)::int + split_part(appointment, ' ', 2)::time) at time zone "timeZone"
			from jsonb_to_recordset(?::jsonb) as s(id uuid, customer text, name text, street text, locality text, latitude float8,
				longitude float8, "timeZone" text, contact text, uplink text, sim text, apn text, values jsonb, appointment text)
			join customer on customer.name = s.customer on conflict do nothing`,
			[json(plan.sites.map(sealed))]
		);
		await insertParts(trx, plan.parts, actor.name);
		await insertProfiles(trx, plan.profiles.map(sealed), actor.name);
		await trx.raw(
			`insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select p.id, site.id, customer.id, p.name, p.role, profile.id, p.values
			from jsonb_to_recordset(?::jsonb) as p(id uuid, customer text, site text, name text, role text, profile text, values jsonb)
			join customer on customer.name = p.customer join site on site.customer_id = customer.id and site.name = p.site
			join profile on profile.name = p.profile on conflict do nothing`,
			[json(plan.positions.map(sealed))]
		);
		if (fresh.rowCount > 0) {
			await enterInLedger(trx, actor, [
				{
					act: 'import plan',
					customerId: null,
					subjectKind: 'site',
					subjectId: 'plan',
					words: `${counted(fresh.rowCount!, 'site')} brought in.`
				}
			]);
			await notify(trx, 'plan', null);
		}
		return fresh.rowCount as number;
	});
}

/** New parts, each released at once as its first revision. */
async function insertParts(trx: Knex, parts: Plan['parts'], by: string): Promise<void> {
	await trx.raw(
		`with wanted as (
			select * from jsonb_to_recordset(?::jsonb) as p(id uuid, revision uuid, name text, summary text, purpose text, texts jsonb, fields jsonb)
		), made as (
			insert into part (id, name, summary, purpose) select id, name, summary, purpose from wanted on conflict do nothing returning id
		)
		insert into part_revision (id, part_id, number, state, texts, fields, note, edited_by, released_by, released_at)
		select revision, wanted.id, 1, 'released', texts, fields, 'First release', ?, ?, now() from wanted join made using (id)`,
		[JSON.stringify(parts.map((part) => ({ id: uuid(), revision: uuid(), ...part }))), by, by]
	);
}

/** New profiles of the newest released revisions of their parts, each released at once. */
async function insertProfiles(trx: Knex, profiles: Plan['profiles'], by: string): Promise<void> {
	const wanted = JSON.stringify(
		profiles.map((profile) => ({
			id: uuid(),
			revision: uuid(),
			...profile,
			files: profile.files.map(storedFile)
		}))
	);
	const { rows } = await trx.raw(
		`with wanted as (
			select * from jsonb_to_recordset(?::jsonb) as p(id uuid, revision uuid, name text, role text, texts jsonb, targets jsonb,
				scripts jsonb, files jsonb, checks jsonb, values jsonb, note text)
		), made as (
			insert into profile (id, name, role_id) select id, name, role from wanted on conflict do nothing returning id
		)
		insert into profile_revision (id, profile_id, number, state, texts, targets, scripts, files, checks, values, note, edited_by)
		select revision, wanted.id, 1, 'draft', texts, targets, scripts, files, checks, values, note, ? from wanted join made using (id) returning id`,
		[wanted, by]
	);
	await trx.raw(
		`insert into profile_part (revision_id, ordinal, part_id, part_revision_id)
		select revision, ordinal, part.id, newest.id
		from jsonb_to_recordset(?::jsonb) as p(revision uuid, parts jsonb)
		join profile_revision on profile_revision.id = revision and state = 'draft'
		cross join lateral jsonb_array_elements_text(parts) with ordinality as listed(name, ordinal)
		join part on part.name = listed.name and retired_at is null
		join lateral (select id from part_revision where part_id = part.id and state = 'released' order by number desc limit 1) newest on true`,
		[wanted]
	);
	const made = (rows as { id: string }[]).map(({ id }) => id);
	await trx('profile_revision')
		.whereIn('id', made)
		.update({ state: 'released', released_at: trx.fn.now(), released_by: by });
	await trx.raw(
		`update profile set released_revision_id = revision.id from profile_revision revision
		where revision.profile_id = profile.id and revision.id = any(?::uuid[])`,
		[made]
	);
}
