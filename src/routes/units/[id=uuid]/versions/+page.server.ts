import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { outlineOf } from '$core/archive';
import { NO_RULES, parseConfig, type Dialect, type DialectRules } from '$core/config';
import { lineOrigins, shownTextOf, pinVersion, versionsOf, type Version } from '$lib/server/archive';
import { refuse } from '$lib/server/act';
import { changing } from '$lib/server/change';
import { connectionOf } from '$lib/server/connections';
import { database } from '$lib/server/database';
import { driftOf, findingsOf, leaveFindings, leaveSchema, readNow } from '$lib/server/drift';
import { formAction, manyIds, oneId } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import { alignedTo, hidingAtPosition } from '$lib/server/profile';
import { lastServed } from '$lib/server/runs';
import { boundUnit, putRightAt } from '$lib/server/send';
import { stanceOfUnit, stanceSchema, statedFor, takeStance } from '$lib/server/stance';
import type { Actions, PageServerLoad } from './$types';

/** What one of the two sides is: a version's number, or what it should run. */
const sideIn = (given: string | null, versions: readonly Version[]): Version | 'intended' | null =>
	given === 'intended' ? 'intended' : (versions.find(({ number }) => String(number) === given) ?? null);

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const [drift, findings, versions, connection, stance] = await Promise.all([
		driftOf(unit.id),
		findingsOf(unit.id),
		versionsOf(unit.id),
		connectionOf(unit.id),
		stanceHere(unit.id, unit.customerId)
	]);
	const shown = sideIn(url.searchParams.get('version'), versions) ?? versions[0] ?? null;
	const beside = sideIn(url.searchParams.get('with'), versions);
	const text = async (side: Version | 'intended'): Promise<string | null> =>
		side === 'intended' ? intendedText(unit.id) : shownTextOf(unit.id, side.number);
	const [one, other] = [shown && (await text(shown)), beside && (await text(beside))];
	const model = await database()('model')
		.where({ id: unit.modelId })
		.first('dialect', 'dialect_rules as rules');
	const origins =
		shown !== null && shown !== 'intended' && other === null
			? await lineOrigins(unit.id, shown.number, rulesOf(model))
			: null;
	const two =
		one !== null && other !== null
			? await alignedTo({ intended: one, running: other, ...rulesOf(model) })
			: null;
	return {
		unit,
		drift: drift ?? null,
		stance,
		findings,
		versions,
		isConnected: connection !== undefined && connection.endedAt === null,
		shown: shown === 'intended' ? ('intended' as const) : (shown?.number ?? null),
		beside: beside === null ? null : beside === 'intended' ? ('intended' as const) : beside.number,
		text: one,
		origins,
		outline: one === null ? [] : outline(one, model),
		two: two
			? { before: two.running, after: two.intended }
			: other !== null && one !== null
				? { before: other, after: one }
				: null
	};
};

/** How it is looked after, and what is stated for it alone; null while it did not come online where it is. */
async function stanceHere(unitId: string, customerId: string) {
	const now = await stanceOfUnit(unitId);
	if (!now) return null;
	const bound = await boundUnit(unitId);
	return { ...now, ...(await statedFor({ customerId, siteId: bound?.siteId ?? null, unitId })) };
}

interface Model {
	readonly dialect: Dialect;
	readonly rules: Partial<DialectRules>;
}
const rulesOf = ({ dialect, rules }: Model) => ({ dialect, rules: { ...NO_RULES, ...rules } });

function outline(text: string, model: Model) {
	const { dialect, rules } = rulesOf(model);
	const reading = parseConfig(text, dialect, rules);
	return reading.ok ? outlineOf(reading.tree, rules.sections) : [];
}

async function intendedText(unitId: string): Promise<string | null> {
	const served = await lastServed(unitId);
	return served ? (await hidingAtPosition(served.positionId))(served.rendering) : null;
}

export const actions: Actions = {
	stance: formAction(stanceSchema, {
		act: async ({ stance }, actor, { params }) => {
			const unit = await unitById(params.id!);
			if (!unit) return refuse('There is no such unit.');
			return takeStance({ customerId: unit.customerId, siteId: null, unitId: unit.id }, stance, actor);
		},
		said: 'Kept. It counts from now on.'
	}),
	save: formAction(v.object({ finding: manyIds('Which finding?', 300) }), {
		act: ({ finding }, actor, { params }) =>
			changing((trx) => putRightAt(trx, params.id!, { findings: finding, asked: false }, actor)),
		said: (words) => words
	}),
	read: formAction(v.object({}), {
		act: (_, actor, { params }) => readNow(params.id!, actor),
		said: 'Read again, and compared with what it should run.'
	}),
	pin: formAction(
		v.object({
			version: oneId('Which version?'),
			why: v.pipe(v.string(), v.trim(), v.minLength(1, 'Say what it is good for.'), v.maxLength(500))
		}),
		{
			act: ({ version, why }, actor) => pinVersion(version, why, actor),
			said: 'Pinned. It is kept until somebody takes the pin away.'
		}
	),
	unpin: formAction(v.object({ version: oneId('Which version?') }), {
		act: ({ version }, actor) => pinVersion(version, null, actor),
		said: 'It is no longer pinned.'
	}),
	leave: formAction(v.object({ finding: manyIds('Which finding?', 300), ...leaveSchema.entries }), {
		act: ({ finding, until, why }, actor) => leaveFindings(finding, { until, why }, actor),
		said: (_, { until }) => `Left as it is until ${until}.`
	}),
	takeUp: formAction(v.object({ finding: manyIds('Which finding?', 300) }), {
		act: ({ finding }, actor) => leaveFindings(finding, null, actor),
		said: 'It counts again.'
	})
};
