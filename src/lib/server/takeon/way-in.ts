import * as v from 'valibot';
import { LIFELINE_WORDS, type Dialect, type Lifeline } from '../../../core/config';
import { maskSecrets, strandingOf, type PurposeId } from '../../../core/profile';
import { goneWith, type Controlled, type WithoutWayIn } from '../../../core/takeon';
import { counted } from '../../../core/text';
import { done, refuse, type Act, type Refusal } from '../act';
import { database } from '../database';
import { oneId } from '../forms';
import type { Actor } from '../ledger';
import {
	allParts,
	newestPartRevisions,
	partsByRevision,
	pathNames,
	renderApart,
	renderingSources,
	renderManyApart,
	revisionsById,
	revisionsOf,
	saveProfile,
	type PositionRendering,
	type RenderingSource,
	type Revision
} from '../profile';
import { controlOf } from './controlled';

const WAY_IN: readonly Lifeline[] = ['home', 'login'];

/** Those profiles of a take-on’s units whose renderings lack Limen’s way in. */
export async function withoutWayIn(units: readonly Controlled[]): Promise<readonly WithoutWayIn[]> {
	const profiles = new Map(units.map(({ profileId, positionId }) => [profileId, positionId]));
	const sources = await renderingSources(database(), [...profiles.values()]);
	const all: WithoutWayIn[] = [];
	for (const [profileId, positionId] of profiles) {
		const source = sources.get(positionId)!;
		const lacks = lacking(source, await renderApart(source));
		if (!source.model || lacks.length === 0) continue;
		const { dialect } = source.model;
		const [newest] = await revisionsOf(profileId);
		all.push({
			profileId,
			name: source.profileName,
			hasDraft: newest!.state === 'draft',
			lacks: lacks.map((lifeline) => LIFELINE_WORDS[lifeline]),
			parts: await partsForWayIn(dialect)
		});
	}
	return all;
}

const lacking = (source: RenderingSource, rendering: PositionRendering): readonly Lifeline[] =>
	rendering.ok && source.model?.grammar
		? strandingOf(rendering.tree, source.model.grammar, pathNames(source)).lost.filter((one) =>
				WAY_IN.includes(one)
			)
		: [];

const MAKES_WAY_IN: readonly (string | null)[] = ['way-in', 'management'] satisfies readonly PurposeId[];
/** The library’s released parts that make a way in, of a dialect: first those that do nothing else. */
async function partsForWayIn(dialect: Dialect): Promise<WithoutWayIn['parts']> {
	const [parts, revisions] = await Promise.all([allParts(), newestPartRevisions()]);
	const fitting = ({ purpose, dialects }: (typeof parts)[number]) =>
		MAKES_WAY_IN.includes(purpose) && dialects.includes(dialect);
	return parts
		.filter(fitting)
		.sort((a, b) => MAKES_WAY_IN.indexOf(a.purpose) - MAKES_WAY_IN.indexOf(b.purpose))
		.flatMap(({ id, name }) => {
			const newest = revisions.find(({ partId }) => partId === id);
			return newest ? [{ value: newest.id, name }] : [];
		});
}

export const wayInSchema = v.object({
	profile: oneId('Which profile is it?'),
	part: oneId('Which part is it to have?')
});

/**
 * Gives a profile of a take-on Limen’s way in, as a draft: a part of the library behind those that it has. Nothing is sent.
 * Whoever writes profiles may. Refused: a part that makes no way in, or with which any unit of the take-on would lose
 * something of what it runs, so that the old way in stays beside the new one.
 */
export async function addWayIn(
	id: string,
	{ profile: profileId, part }: v.InferOutput<typeof wayInSchema>,
	actor: Actor
): Promise<Act> {
	const positions = (await controlOf(id)).flatMap((unit) =>
		unit.profileId === profileId ? [unit.positionId] : []
	);
	if (positions.length === 0) return refuse('No unit of this take-on follows that profile.');
	const [newest] = await revisionsOf(profileId);
	if (newest!.state === 'draft')
		return refuse('Something of this profile is being written. Release it or throw it away first.');
	const before = (await revisionsById(database(), [newest!.id])).get(newest!.id)!;
	const added = (await partsByRevision(database(), [part])).get(part);
	if (!added) return refuse('There is no such part any more.');
	if (before.parts.some(({ partId }) => partId === added.partId))
		return refuse(`It has “${added.name}” already.`);
	const refused = await notBeside(positions, profileId, { ...before, parts: [...before.parts, added] });
	if (refused) return refused;
	const parts = [...before.parts.map(({ revisionId }) => revisionId), part];
	const saved = await saveProfile(profileId, 0, { ...before, parts }, actor);
	return saved.ok ? done(undefined) : refuse(saved.problem);
}

const AT_ONCE = 40;
/** Why a profile would not just add Limen’s way in at each of the positions; null when it does. */
async function notBeside(
	positions: readonly string[],
	profileId: string,
	written: Revision
): Promise<Refusal | null> {
	for (let from = 0; from < positions.length; from += AT_ONCE) {
		const ids = positions.slice(from, from + AT_ONCE);
		const [now, then] = await Promise.all(
			[{}, { written: new Map([[profileId, written]]) }].map(async (choice) => {
				const sources = await renderingSources(database(), ids, choice);
				const all = ids.map((id) => sources.get(id)!);
				return { all, renderings: await renderManyApart(all) };
			})
		);
		for (const [at, source] of then!.all.entries()) {
			const [before, after] = [now!.renderings[at]!, then!.renderings[at]!];
			const where = `${source.positionName} at ${source.siteName}`;
			if (!before.ok || !source.model)
				return refuse(`${where} cannot be computed as it is: look at its preview first.`);
			if (!after.ok) return refuse(`With it ${where} cannot be computed: ${after.problems[0]!.message}`);
			const [lost] = lacking(source, after);
			if (lost) return refuse(`With it ${where} is still without ${LIFELINE_WORDS[lost]}.`);
			const { dialect, rules } = source.model;
			const [gone, ...more] = goneWith(before.tree, after.tree, dialect, rules);
			if (gone !== undefined)
				return refuse(
					`It would not only add: at ${where} it changes “${maskSecrets(gone).slice(0, 200)}”${more.length > 0 ? ` and ${counted(more.length, 'more place')}` : ''}. Choose a part that stands beside what is there.`
				);
		}
	}
	return null;
}
