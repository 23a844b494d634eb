import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { CHECK_SCHEMES } from '../../../core/intake';
import { DIALECTS } from '../../../core/config';
import { checkText, isSecretName, valuesSchema, type Values } from '../../../core/profile';
import { seal } from '../keys';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

const name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(120));
const slug = v.pipe(v.string(), v.regex(/^[a-z][a-z0-9-]{0,40}$/));
const degrees = (most: number) => v.pipe(v.number(), v.minValue(-most), v.maxValue(most));

/** A whole plan in one document: what can be filled, by what, and where. */
export const planSchema = v.object({
	makers: v.array(v.object({ id: slug, name })),
	models: v.array(
		v.object({
			id: slug,
			name,
			maker: slug,
			role: slug,
			dialect: v.picklist(DIALECTS),
			orderedHeads: v.array(v.string()),
			firmwareLine: slug,
			serialTemplate: v.string(),
			serialCheck: v.picklist(CHECK_SCHEMES),
			ports: v.record(v.string(), v.string())
		})
	),
	profiles: v.array(
		v.object({
			name,
			role: slug,
			dialect: v.picklist(DIALECTS),
			text: v.pipe(
				v.string(),
				v.check((text) => checkText(text).length === 0, 'The text has a broken tag.')
			),
			targetVersion: v.optional(v.string()),
			values: valuesSchema,
			preScript: v.optional(v.string()),
			postScript: v.optional(v.string()),
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
			timeZone: v.pipe(
				v.string(),
				v.check((zone) => Intl.supportedValuesOf('timeZone').includes(zone), 'not an IANA time zone')
			),
			contact: v.string(),
			uplink: v.picklist(['fibre', 'dsl', 'cellular']),
			/** Days from today and the local time, for plans that are made to be tried: `+1 09:30`. */
			appointment: v.optional(v.nullable(v.pipe(v.string(), v.regex(/^\+\d{1,3} \d{2}:\d{2}$/))))
		})
	),
	positions: v.array(
		v.object({ customer: name, site: name, name, role: slug, profile: name, values: valuesSchema })
	)
});
export type Plan = v.InferOutput<typeof planSchema>;

/** Values as they are stored: what is secret by name is sealed. */
const sealed = <Row extends { values: Values }>(row: Row): Row => ({
	...row,
	values: Object.fromEntries(
		Object.entries(row.values).map(([field, value]) => [
			field,
			isSecretName(field) ? seal(String(value)) : value
		])
	)
});

/**
 * Brings in a plan in one transaction. What exists already, by name, is left as it is, so that bringing
 * it in twice does no harm. Returns how many sites were new.
 */
export async function importPlan(plan: Plan, actor: Actor): Promise<number> {
	return database().transaction(async (trx) => {
		const json = (rows: readonly object[]) => JSON.stringify(rows.map((row) => ({ id: uuid(), ...row })));
		await trx.raw(
			`insert into maker (id, name) select id, name from jsonb_to_recordset(?::jsonb) as m(id text, name text) on conflict do nothing`,
			[JSON.stringify(plan.makers)]
		);
		await trx.raw(
			`insert into model (id, name, maker_id, role_id, dialect, ordered_heads, firmware_line, serial_template, serial_check, ports)
			select id, name, maker, role, dialect, array(select jsonb_array_elements_text("orderedHeads")), "firmwareLine", "serialTemplate", "serialCheck", ports
			from jsonb_to_recordset(?::jsonb) as m(id text, name text, maker text, role text, dialect text, "orderedHeads" jsonb,
				"firmwareLine" text, "serialTemplate" text, "serialCheck" text, ports jsonb)
			on conflict do nothing`,
			[JSON.stringify(plan.models)]
		);
		await trx.raw(
			`insert into customer (id, name, values) select id, name, values
			from jsonb_to_recordset(?::jsonb) as c(id uuid, name text, values jsonb) on conflict do nothing`,
			[json(plan.customers.map(sealed))]
		);
		const fresh = await trx.raw(
			`insert into site (id, customer_id, name, street, locality, latitude, longitude, time_zone, contact, uplink, appointment_at)
			select s.id, customer.id, s.name, street, locality, latitude, longitude, "timeZone", contact, uplink,
				((now() at time zone "timeZone")::date + split_part(appointment, ' ', 1)::int + split_part(appointment, ' ', 2)::time) at time zone "timeZone"
			from jsonb_to_recordset(?::jsonb) as s(id uuid, customer text, name text, street text, locality text, latitude float8,
				longitude float8, "timeZone" text, contact text, uplink text, appointment text)
			join customer on customer.name = s.customer on conflict do nothing`,
			[json(plan.sites)]
		);
		await trx.raw(
			`with wanted as (
				select * from jsonb_to_recordset(?::jsonb) as p(id uuid, name text, role text, dialect text, text text, "targetVersion" text,
					values jsonb, "preScript" text, "postScript" text, note text, revision uuid)
			), made as (
				insert into profile (id, name, role_id, dialect) select id, name, role, dialect from wanted on conflict do nothing returning id
			)
			insert into profile_revision (id, profile_id, number, state, text, values, target_version, pre_script, post_script, note, released_at)
			select revision, wanted.id, 1, 'released', text, values, "targetVersion", "preScript", "postScript", note, now()
			from wanted join made using (id)`,
			[JSON.stringify(plan.profiles.map((profile) => ({ id: uuid(), revision: uuid(), ...sealed(profile) })))]
		);
		await trx.raw(
			`update profile set released_revision_id = revision.id from profile_revision revision
			where revision.profile_id = profile.id and profile.released_revision_id is null`
		);
		await trx.raw(
			`insert into position (id, site_id, customer_id, name, role_id, profile_id, dialect, values)
			select p.id, site.id, customer.id, p.name, p.role, profile.id, profile.dialect, p.values
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
					words: `${fresh.rowCount} sites brought in.`
				}
			]);
			await notify(trx, 'plan', null);
		}
		return fresh.rowCount as number;
	});
}
