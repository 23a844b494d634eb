import { timeNow } from '$lib/server/database';
import * as v from 'valibot';
import { callersAtDoor, likelyPair, awayAction } from '$lib/server/door';
import { countUnbound } from '$lib/server/intake';
import { adviceOn, arrivals, cameThrough, countNotHeard, notHeard, standingCounts } from '$lib/server/runs';
import { unreachableUnits } from '$lib/server/connections';
import {
	bindUnit,
	countProposals,
	retryRun,
	unbindUnit,
	withWarnings,
	bindAction,
	retryAction,
	unbindAction
} from '$lib/server/binding';
import { alerts, seeAlerts } from '$lib/server/alerts';
import { countBehind, findingGroups } from '$lib/server/drift';
import { formAction, manyIds } from '$lib/server/forms';
import { customersWhere, maySee } from '$lib/server/people';
import { sitesAhead, tightPools } from '$lib/server/plan';
import { failedProofs } from '$lib/server/proof';
import { keyEndsSoon } from '$lib/server/signing';
import { readinessAt } from '$lib/server/watch';
import { lostReports } from '$lib/server/reports';
import { stoppedRollouts } from '$lib/server/rollout';
import { brokenPaths } from '$lib/server/reachability';
import type { Actions, PageServerLoad } from './$types';

const MOST_STUCK = 12;
const MOST_THROUGH = 8;
const MOST_DUE = 8;
const MOST_NOT_HEARD = 8;
const MOST_DRIFTED = 3;
const MOST_ALERTS = 3;
const MOST_LOST = 3;
const SOON_MS = 48 * 3_600_000;

export const load: PageServerLoad = async ({ locals, depends }) => {
	depends('limen:live');
	const now = timeNow();
	const [stuck, through, counts, callers, sites, unbound, tight, silent, unreachable] = await Promise.all([
		arrivals({ customerId: locals.customerId, needsPerson: true, limit: MOST_STUCK }),
		cameThrough(locals.customerId, MOST_THROUGH),
		standingCounts(locals.customerId),
		callersAtDoor(locals.customerId, 8),
		sitesAhead(locals.customerId, new Date(now + SOON_MS), MOST_DUE),
		countUnbound(locals.customerId),
		maySee(locals, 'plan addresses', locals.customerId) ? tightPools(locals.customerId) : [],
		notHeard(locals.customerId, MOST_NOT_HEARD),
		unreachableUnits(locals.customerId, MOST_NOT_HEARD)
	]);
	const silentCount = silent.length < MOST_NOT_HEARD ? silent.length : await countNotHeard(locals.customerId);
	const keyEnds = maySee(locals, 'manage people', null) ? await keyEndsSoon() : null;
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [told, drifted, behind, stopped, lost] = await Promise.all([
		alerts(customers, { unseen: true, limit: MOST_ALERTS + 1 }),
		findingGroups(customers, { limit: MOST_DRIFTED + 1 }),
		countBehind(customers),
		stoppedRollouts(customers),
		lostReports(customersWhere(locals, 'send reports', locals.customerId), MOST_LOST)
	]);
	/** Those are told of once, with why. */
	const gathered = new Set(
		told.flatMap(({ kind, unitId, withUnits }) => (kind === 'not heard' ? [unitId, ...withUnits] : []))
	);
	const alone = silent.filter(({ unitId }) => !gathered.has(unitId));
	const readiness = await readinessAt(sites.due.map(({ id }) => id));
	return {
		keyEnds,
		stuck: stuck.map((arrival) => ({ ...arrival, advice: adviceOn(arrival) })),
		through,
		counts,
		callers: await withWarnings(callers, likelyPair),
		toApprove: maySee(locals, 'bind', locals.customerId) ? await countProposals(locals.customerId) : 0,
		unbound,
		notHeard: alone,
		notHeardCount: silentCount - (silent.length - alone.length),
		unreachable,
		tight,
		alerts: told.slice(0, MOST_ALERTS),
		alertsMore: told.length > MOST_ALERTS,
		drifted: drifted.slice(0, MOST_DRIFTED),
		driftedMore: drifted.length > MOST_DRIFTED,
		behind,
		lostReports: lost,
		stopped: stopped.map(({ id, title, words }) => ({ id, title, words })),
		unsound: await failedProofs(locals.customerId, MOST_NOT_HEARD),
		apart: await brokenPaths(locals.customerId),
		sitesOnline: sites.counts.online ?? 0,
		sites: Object.values(sites.counts).reduce((sum, count) => sum + count, 0),
		due: sites.due.map((site) => ({ ...site, gaps: readiness.get(site.id) ?? null }))
	};
};

export const actions: Actions = {
	retry: retryAction(retryRun),
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	away: awayAction,
	see: formAction(v.object({ alert: manyIds('Which alert?', 200) }), {
		act: ({ alert }, actor) => seeAlerts(alert, actor),
		said: 'Noted as seen. It goes on until what it is about has ended.'
	})
};
