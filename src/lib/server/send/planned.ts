import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import { NO_RULES } from '../../../core/config';
import { findingsBetween, putRight, type Finding } from '../../../core/drift';
import { done, refuse, type Act } from '../act';
import { versionById, wholeTextOf } from '../archive';
import type { Reading } from '../connections';
import { placeAt } from '../drift';
import { keyedHash, unseal } from '../keys';
import { renderApart, renderingSources, strandingOfText, type RenderingSource } from '../profile';

/**
 * What somebody wants sent to a unit. `due`: what is released and planned now. `intended`: what it should run already.
 * `part`: some findings are put right and all else stays. `restore`: what it ran at an earlier time.
 */
export type Wanted =
	| { readonly kind: 'due' | 'intended' }
	| { readonly kind: 'part'; readonly findings: readonly string[] }
	| { readonly kind: 'restore'; readonly version: string };
export const DUE: Wanted = { kind: 'due' };

/** What a send would bring to a unit. */
export interface Planned {
	readonly source: RenderingSource;
	readonly text: string;
	/** As JSON, what is asked when it is proven; null when nothing is. */
	readonly checks: string | null;
	/** A name for exactly this: what was looked at is what is sent. */
	readonly fingerprint: string;
	/** In a sentence, what it is. */
	readonly words: string;
	/** Of a version that is restored: what of the plan it would undo. */
	readonly undoes: readonly Pick<Finding, 'path' | 'kind'>[];
}

type Content = Pick<Planned, 'text' | 'checks' | 'words'> & { readonly undoes?: Planned['undoes'] };

/**
 * What would be sent to the unit of a position. `running`: what it runs, which a part is made of. Refused: where nothing
 * can be sent, with the reason; what would strand the unit.
 */
export async function plannedFor(
	knex: Knex,
	unitId: string,
	positionId: string,
	wanted: Wanted,
	running: Reading
): Promise<Act<Planned>> {
	const source = (await renderingSources(knex, [positionId])).get(positionId);
	if (!source) return refuse('There is no such position.');
	const content = await CONTENTS[wanted.kind](knex, source, unitId, wanted as never, running);
	if (!content.ok) return content;
	const { text, checks } = content.done;
	const stranding = source.overrideReason === null ? strandingOfText(source, text) : [];
	if (stranding.length > 0)
		return refuse(`This cannot be sent, for it would strand the unit. ${stranding.join(' ')}`);
	const fingerprint = createHash('sha256')
		.update(JSON.stringify([wanted.kind, text, checks]))
		.digest('hex');
	return done({ undoes: [], ...content.done, source, fingerprint });
}

type ContentOf<Kind extends Wanted['kind']> = (
	knex: Knex,
	source: RenderingSource,
	unitId: string,
	wanted: Extract<Wanted, { kind: Kind }>,
	running: Reading
) => Promise<Act<Content>>;

const due: ContentOf<'due'> = async (_knex, source) => {
	const rendering = await renderApart(source);
	if (!rendering.ok)
		return refuse(
			`What it should run cannot be computed. ${rendering.problems.map(({ message }) => message).join(' ')}`
		);
	const { checks } = rendering.beside;
	return done({
		text: rendering.text,
		checks: checks.length === 0 ? null : JSON.stringify(checks),
		words: 'what it should run by what is released and planned now'
	});
};

const intended: ContentOf<'intended'> = async (knex, source, unitId) => {
	const last = await lastIntended(knex, source.positionId, unitId);
	return last ? done({ ...last, words: 'what it was last given and kept' }) : refuse(NOTHING_GIVEN);
};
const NOTHING_GIVEN = 'Nothing was given to this unit here yet.';

async function lastIntended(
	knex: Knex,
	positionId: string,
	unitId: string
): Promise<Pick<Content, 'text' | 'checks'> | null> {
	const row = await knex('served')
		.where({ position_id: positionId, unit_id: unitId })
		.orderBy('turn', 'desc')
		.first('rendering', 'checks');
	return row ? { text: unseal(row.rendering), checks: row.checks && unseal(row.checks) } : null;
}

const rulesOf = ({ model }: RenderingSource) =>
	({ dialect: model!.dialect, rules: { ...NO_RULES, ...model!.rules } }) as const;

const part: ContentOf<'part'> = async (knex, source, unitId, wanted, running) => {
	const last = await lastIntended(knex, source.positionId, unitId);
	if (!last) return refuse(NOTHING_GIVEN);
	const rows: { key: Buffer }[] = await knex('finding')
		.whereIn('id', [...wanted.findings])
		.where({ unit_id: unitId, ended_at: null })
		.select('key');
	if (rows.length === 0) return refuse('What was to be put right is no longer so.');
	const keys = new Set(rows.map(({ key }) => key.toString('hex')));
	const text = putRight({ ...rulesOf(source), intended: last.text, running: running.content }, (key) =>
		keys.has(keyedHash(key).toString('hex'))
	);
	return text === null
		? refuse('What it runs cannot be read, so no part of it can be put right. Send it the whole instead.')
		: done({ text, checks: null, words: 'what it runs, with what was chosen put right' });
};

const restore: ContentOf<'restore'> = async (knex, source, unitId, wanted) => {
	const version = await versionById(wanted.version, knex);
	const text = version?.unitId === unitId ? await wholeTextOf(knex, unitId, version.number) : null;
	if (!version || text === null) return refuse('This version is not kept any more.');
	if (version.positionId !== source.positionId)
		return refuse('It ran this version at another place: it would make it what it was there.');
	const last = await lastIntended(knex, source.positionId, unitId);
	const looked =
		last &&
		findingsBetween({ ...rulesOf(source), intended: last.text, running: text }, await placeAt(source));
	return done({
		text,
		checks: null,
		words: `version ${version.number}, which it ran before`,
		undoes: looked?.ok ? looked.findings : []
	});
};

const CONTENTS: { readonly [Kind in Wanted['kind']]: ContentOf<Kind> } = { due, intended, part, restore };
