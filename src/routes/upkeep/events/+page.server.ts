import * as v from 'valibot';
import { SEVERITIES } from '$core/events';
import { alerts, seeAlerts } from '$lib/server/alerts';
import { events, EVENTS_AT_ONCE } from '$lib/server/events';
import { formAction, manyIds } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { customersWhere, demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const id = v.pipe(v.string(), v.uuid());
const idIn = (given: string | null): string | null => (v.is(id, given) ? given : null);

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const unitId = idIn(url.searchParams.get('unit'));
	const text = (url.searchParams.get('text') ?? '').trim().slice(0, 200);
	const given = SEVERITIES.indexOf(url.searchParams.get('severity') as (typeof SEVERITIES)[number]);
	const severity = given < 0 ? SEVERITIES.length - 1 : given;
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [told, said, unit] = await Promise.all([
		alerts(customers, { unitId, limit: 50 }),
		events({ unitId, customers, severity, text, before: idIn(url.searchParams.get('before')) }),
		unitId ? unitById(unitId) : undefined
	]);
	return {
		alerts: told,
		events: said,
		text,
		severity: SEVERITIES[severity]!,
		unit: unit ? { id: unit.id, serial: unit.serial } : null,
		atOnce: EVENTS_AT_ONCE
	};
};

export const actions: Actions = {
	see: formAction(v.object({ alert: manyIds('Which alert?', 200) }), {
		act: ({ alert }, actor) => seeAlerts(alert, actor),
		said: 'Noted as seen. It goes on until what it is about has ended.'
	})
};
