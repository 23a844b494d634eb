import * as v from 'valibot';
import { SEVERITIES } from '$core/events';
import { alerts, seeAlerts } from '$lib/server/alerts';
import { events, EVENTS_AT_ONCE } from '$lib/server/events';
import { formAction, manyIds } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { customersWhere, demand } from '$lib/server/people';
import { siteById } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

const ALERTS_AT_ONCE = 50;
const MOST_ENDED = 8;

const id = v.pipe(v.string(), v.uuid());
const idIn = (given: string | null): string | null => (v.is(id, given) ? given : null);

/** A day and a time of UTC, as the page's fields give them. */
const momentIn = (given: string | null): Date | null =>
	v.is(v.pipe(v.string(), v.isoDateTime()), given) ? new Date(`${given}Z`) : null;

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const unitId = idIn(url.searchParams.get('unit'));
	const text = (url.searchParams.get('text') ?? '').trim().slice(0, 200);
	const given = SEVERITIES.indexOf(url.searchParams.get('severity') as (typeof SEVERITIES)[number]);
	const severity = given < 0 ? SEVERITIES.length - 1 : given;
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const siteId = idIn(url.searchParams.get('site'));
	const [since, until] = [momentIn(url.searchParams.get('since')), momentIn(url.searchParams.get('until'))];
	const before = idIn(url.searchParams.get('before'));
	const after = idIn(url.searchParams.get('after'));
	const [goingOn, ended, said, unit, site] = await Promise.all([
		alerts(customers, { unitId, goesOn: true, after, limit: ALERTS_AT_ONCE + 1 }),
		alerts(customers, { unitId, goesOn: false, limit: MOST_ENDED }),
		events({ unitId, siteId, customers, severity, text, since, until, before }),
		unitId ? unitById(unitId) : undefined,
		siteId ? siteById(siteId) : undefined
	]);
	return {
		alerts: goingOn.slice(0, ALERTS_AT_ONCE),
		/** After which there are earlier ones that go on. */
		alertsAfter: goingOn.length > ALERTS_AT_ONCE ? goingOn[ALERTS_AT_ONCE - 1]!.id : null,
		isFirst: after === null,
		ended,
		events: said,
		text,
		severity: SEVERITIES[severity]!,
		since: since?.toISOString().slice(0, 16) ?? '',
		until: until?.toISOString().slice(0, 16) ?? '',
		isSome: Boolean(text || severity < SEVERITIES.length - 1 || siteId || since || until),
		site: site ? { id: site.id, name: site.name } : null,
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
