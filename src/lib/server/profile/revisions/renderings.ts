import { parseConfig, rejectedLines } from '../../../../core/config';
import {
	changesUplink,
	fieldsOfPieces,
	isFactoryPassword,
	maskSecrets,
	openingsIn,
	NOTHING_BESIDE,
	renderBeside,
	renderWhole,
	resolveFields,
	secretsIn,
	secretsOf,
	strandingOf,
	strandingWords,
	type Beside,
	type Piece,
	type RenderProblem,
	type RenderResult,
	type Secrets
} from '../../../../core/profile';
import { GivenUp, offMainThread, task } from '../../threads';
import { fieldsOfRevision, piecesOf } from './revisions';
import { database } from '../../database';
import { knownTo, pathNames, renderingSources, type RenderingModel, type RenderingSource } from '../sources';

/** What must not be shown of a position's rendering. */
export function secretsAt(source: RenderingSource, values: RenderResult['values'] = new Map()): Secrets {
	const { revision, scoped } = source;
	const given = [
		...Object.values(scoped).flatMap((some) => Object.entries(some ?? {})),
		...source.tunnels.map(({ secret }) => [TUNNEL_SECRET, secret] as const)
	];
	return secretsOf(revision ? fieldsOfRevision(revision) : [], given, values);
}

/** The same, with all that its rendering makes of a secret, and what leads to one there. */
export const allSecretsAt = async (source: RenderingSource): Promise<Secrets> =>
	secretsAround(source, await renderApart(source));
function secretsAround(source: RenderingSource, result: PositionRendering): Secrets {
	const secrets = secretsAt(source, result.values);
	return result.ok ? secretsIn(result, piecesAt(source), secrets) : secrets;
}

/**
 * What people may see of texts that were made for a position or come from its unit. Where it is nobody's, what follows a word
 * for a secret is masked all the same.
 */
export async function hidingAt(
	source: RenderingSource | undefined,
	rendering?: PositionRendering
): Promise<(text: string) => string> {
	return source ? hidingIn(source, rendering ?? (await renderApart(source))) : (text) => maskSecrets(text);
}
/** The same, at once: for what is worked beside the main thread anyway. */
export function hidingIn(source: RenderingSource, result: PositionRendering): (text: string) => string {
	const secrets = secretsAround(source, result);
	return (text) => maskSecrets(text, secrets);
}
export const hidingAtPosition = async (positionId: string | null): Promise<(text: string) => string> =>
	hidingAt(
		positionId === null ? undefined : (await renderingSources(database(), [positionId])).get(positionId)
	);

/** The name under which a tunnel's secret counts as one. */
const TUNNEL_SECRET = 'position.tunnels.secret';

/** A rendering with what goes with it. */
export type PositionRendering =
	(Extract<RenderResult, { ok: true }> & { readonly beside: Beside }) | Extract<RenderResult, { ok: false }>;

const refused = (message: string, source: RenderingSource): PositionRendering => ({
	ok: false,
	problems: [
		{ kind: 'broken', message, piece: null, line: null, column: null, field: null, scope: null, at: null }
	],
	values: source.revision ? valuesOf(source) : new Map()
});

const valuesOf = (source: RenderingSource) =>
	resolveFields(fieldsOfRevision(source.revision!), source.scoped, knownTo(source)).values;

/** The same, worked beside the main thread: a text that somebody is writing can take as long as it likes. */
export async function renderApart(source: RenderingSource): Promise<PositionRendering> {
	try {
		return await offMainThread(RENDER_ONE, source, LONGEST_APART_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return refused(
			'This takes too long to compute, or too much memory. Look for loops that go round too often.',
			source
		);
	}
}
const LONGEST_APART_MS = 8_000;
const RENDER_ONE = task<RenderingSource, PositionRendering>('renderPosition');
const RENDER_MANY = task<readonly RenderingSource[], readonly PositionRendering[]>('renderPositions');

/** The same for many: what they share is handed over once. One that takes too long fails alone. */
export async function renderManyApart(
	sources: readonly RenderingSource[]
): Promise<readonly PositionRendering[]> {
	try {
		return await offMainThread(RENDER_MANY, sources, LONGEST_APART_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return Promise.all(sources.map(renderApart));
	}
}

/**
 * Computes what a position's unit will get. Refuses a rendering that is no text of its dialect, that has a
 * line which the model does not understand, or whose scripts or checks lack something.
 */
export function renderPosition(source: RenderingSource): PositionRendering {
	const { revision, model } = source;
	if (!revision) return refused(`The profile “${source.profileName}” has no released revision.`, source);
	if (!model) return refused(`The profile “${source.profileName}” serves no model yet.`, source);
	if (source.uplinkGap) return refused(source.uplinkGap, source);
	if (source.own && source.own.dialect !== model.dialect)
		return refused(
			`This position has statements of its own for another model than a ${model.name}. Take them away, or bind the other model.`,
			source
		);
	const pieces = piecesOf(revision, model.dialect);
	const gap = revision.parts.find(({ texts }) => texts[model.dialect] === undefined);
	if (gap)
		return refused(`“${gap.name}” has no text for a ${model.name} (${model.dialect} dialect).`, source);
	const result = renderWhole({
		dialect: model.dialect,
		rules: model.rules,
		pieces,
		scoped: source.scoped,
		known: knownTo(source),
		...(source.own && { own: source.own.statements })
	});
	if (!result.ok) return result;
	const rejected = rejectedAt(model, result, pieces);
	if (rejected.length > 0) return { ok: false, values: result.values, problems: rejected };
	const scripts = revision.scripts[model.dialect];
	if (!scripts && revision.checks.length === 0) return { ...result, beside: NOTHING_BESIDE };
	const beside = renderBeside(model.dialect, { scripts: scripts ?? {}, checks: revision.checks }, result);
	return beside.ok
		? { ...result, beside: beside.beside }
		: { ok: false, values: result.values, problems: beside.problems };
}

function rejectedAt(
	{ name, grammar }: RenderingModel,
	result: Extract<RenderResult, { ok: true }>,
	pieces: readonly Piece[]
): readonly RenderProblem[] {
	return (grammar ? rejectedLines(result.tree, grammar) : []).map(({ line, message }) => {
		const from = result.lines[line - 1];
		return {
			kind: 'rejected',
			message: `${name}: ${message}`,
			piece: from?.piece == null ? null : pieces[from.piece]!.name,
			line: from?.sources[0] ?? null,
			column: null,
			field: from?.fields[0] ?? null,
			scope: null,
			at: line
		};
	});
}

/** Why a unit with this rendering could not be reached any more; empty when it could. */
export function strandingAt(source: RenderingSource, result: RenderResult): readonly string[] {
	const grammar = source.model?.grammar;
	return result.ok && grammar ? strandingWords(strandingOf(result.tree, grammar, pathNames(source))) : [];
}

/** The same of any text for the unit there. */
export function strandingOfText(source: RenderingSource, text: string): readonly string[] {
	const { model } = source;
	if (!model?.grammar) return [];
	const reading = parseConfig(text, model.dialect, model.rules);
	return reading.ok
		? strandingWords(strandingOf(reading.tree, model.grammar, pathNames(source)))
		: [`It cannot be read: line ${reading.problems[0]!.line}: ${reading.problems[0]!.message}`];
}

/** Whether two renderings configure the uplink differently: what is changed there can cut a unit off. */
export function touchesUplink(source: RenderingSource, before: RenderResult, after: RenderResult): boolean {
	const grammar = source.model?.grammar;
	return (
		before.ok && after.ok && !!grammar && changesUplink(before.tree, after.tree, grammar, pathNames(source))
	);
}

/** What a careful reader would say of one rendering, beside what stops it. */
export function risksAt(source: RenderingSource, result: RenderResult): readonly string[] {
	if (!result.ok || !source.revision) return [];
	const grammar = source.model?.grammar;
	const risks = grammar ? openingsIn(result.tree, grammar, pathNames(source)) : [];
	const { fields } = fieldsOfPieces(source.revision.parts);
	return [
		...risks.map(({ line, message }) => `Line ${line}: ${message}`),
		...fields
			.filter((field) => isFactoryPassword(field, String(result.values.get(field.name)?.value ?? '')))
			.map(({ name }) => `“${name}” is a password that everybody knows.`)
	];
}

/** The pieces of a source's rendering, for naming where lines come from. */
export const piecesAt = ({ revision, model }: RenderingSource): readonly Piece[] =>
	revision && model ? piecesOf(revision, model.dialect) : [];
