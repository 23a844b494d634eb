import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { CONNECTOR_VERDICTS, suggestMapping } from '$core/connector';
import {
	connectorById,
	connectorFormSchema,
	connectorRows,
	connectorRuns,
	connectorSchema,
	decide,
	decisionSchema,
	endConnector,
	folderOf,
	mappingFormSchema,
	readNow,
	ROWS_AT_ONCE,
	runSchema,
	saveConnector,
	saveMapping,
	takeIn,
	targetsOf
} from '$lib/server/connectors';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { patterns } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

const askedFor = v.object({
	verdict: v.fallback(v.nullable(v.picklist(CONNECTOR_VERDICTS)), null),
	after: v.fallback(v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number)), 0)
});

/** A connector: what its source says now, held against what stands here; and how it is read. */
export const load: PageServerLoad = async ({ locals, params, url, depends }) => {
	depends('limen:live');
	const connector = await connectorById(params.id);
	if (!connector) error(404, 'There is no such connector any more.');
	demand(locals, 'plan sites', connector.customerId);
	const { verdict, after } = v.parse(askedFor, {
		verdict: url.searchParams.get('verdict'),
		after: url.searchParams.get('after') ?? undefined
	});
	const [runs, targets, patternRows] = await Promise.all([
		connectorRuns(connector.id),
		targetsOf(connector),
		patterns(null)
	]);
	const compared = runs.find(({ isLook, state }) => !isLook && state === 'compared') ?? null;
	const rows = compared ? await connectorRows(compared.id, { verdict, after }) : [];
	const headings = connector.seen.map(({ heading }) => heading).filter(Boolean);
	return {
		connector,
		runs,
		compared,
		rows,
		hasMore: rows.length === ROWS_AT_ONCE,
		verdict,
		after,
		targets: targets.map(({ to }) => to),
		suggested: connector.mapping ?? (headings.length > 0 ? suggestMapping(headings, targets) : null),
		patterns: patternRows.filter(({ customerId }) => customerId === connector.customerId),
		folder: connector.url === null ? folderOf(connector.id) : null
	};
};

const OF = 'plan sites';
export const actions: Actions = {
	save: formAction(connectorFormSchema, { of: OF, act: saveConnector, said: 'It is changed.' }),
	look: formAction(connectorSchema, { of: OF, act: (given, actor) => readNow(given, actor, true) }),
	compare: formAction(connectorSchema, { of: OF, act: (given, actor) => readNow(given, actor, false) }),
	map: formAction(mappingFormSchema, {
		of: OF,
		act: saveMapping,
		said: 'Its columns are chosen. Compare it to see what would change.'
	}),
	take: formAction(runSchema, {
		of: OF,
		act: takeIn,
		said: ({ count }) => `${count.toLocaleString('en')} are being taken over.`
	}),
	decide: formAction(decisionSchema, { of: OF, act: decide, said: 'It is decided.' }),
	end: formAction(connectorSchema, { of: OF, act: endConnector, goes: () => '/sites/connectors' })
};
