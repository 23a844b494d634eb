import { database } from '../../src/lib/server/database';
import { rows } from './files';

/** How long the steps of the last four weeks' runs took, as if Limen had been there: what is normal is learnt from them. */
export async function loadHistory(): Promise<void> {
	const history = rows('durations.csv').flatMap(
		({ model, uplink, step, from, to, seconds = '', 'broken off after': broken = '' }) =>
			[
				{ list: seconds, ended: true },
				{ list: broken, ended: false }
			].flatMap(({ list, ended }) =>
				list
					.split(' ')
					.filter(Boolean)
					.map((one) => ({ model, uplink, step, from, to, seconds: Number(one), ended }))
			)
	);
	const given = `rows from (jsonb_to_recordset(:history::jsonb) as (model text, uplink text, step text, "from" text, "to" text, seconds float8, ended boolean))
		with ordinality as h(model, uplink, step, "from", "to", seconds, ended, place) join model on model.id = h.model
		cross join lateral (select case when "from" = '' then 0 else (select round(log(2, bytes)) from image
			where firmware_line = model.firmware_line and version = "to") end::smallint as image_size) sized`;
	const values = { history: JSON.stringify(history) };
	await database().raw(
		`insert into step_group (step, model_id, uplink, from_version, to_version, image_size)
		select distinct step, model, uplink, "from", "to", image_size from ${given} on conflict do nothing`,
		values
	);
	await database().raw(
		`insert into step_time (group_id, customer_id, began_at, seconds, has_ended)
		select g.id, (select id from customer order by name limit 1), now() - make_interval(hours => (place % 672)::int), h.seconds, ended
		from ${given} join step_group g on (g.step, g.model_id, g.uplink, g.from_version, g.to_version, g.image_size)
			= (h.step, h.model, h.uplink, "from", "to", sized.image_size)
		where not exists (select from step_time where run_id is null) order by place`,
		values
	);
}
