import { parseConfig } from '../../../core/config';
import type { TimedStep } from '../../../core/onboarding';
import type { CablingProblem } from '../../../core/plan';
import type { ProofPlan } from '../../../core/proof';
import {
	rehearse,
	type Doubled,
	wiringOf,
	type Known,
	type Made,
	type Rehearsal,
	type Station,
	type Twin,
	type Wiring
} from '../../../core/watch';
import type * as Profile from '../profile';

/** What renders a position: given, so that a thread takes no more of it than it computes with. */
export type Renders = Pick<
	typeof Profile,
	'hidingIn' | 'pathNames' | 'piecesAt' | 'renderPosition' | 'secretsAt' | 'strandingAt'
>;

/** A position as its twin is made from it. */
export interface TwinSource {
	readonly source: Profile.RenderingSource;
	readonly unit: { readonly id: string; readonly serial: string } | null;
	readonly version: string | null;
	/** What its unit was given last; null unless it is online. */
	readonly runs: string | null;
	readonly known: Readonly<Record<TimedStep, Known>>;
}
/** A site with all that is looked at for its rehearsal, as plain data. */
export interface SiteSource {
	readonly id: string;
	readonly name: string;
	readonly positions: readonly TwinSource[];
	readonly plan: ProofPlan;
	readonly cabling: readonly CablingProblem[];
	readonly doubled: readonly Doubled[];
	/** What stands at the other ends of its tunnels, and further on. */
	readonly far: readonly string[];
}
export interface ToRehearse {
	readonly sites: readonly SiteSource[];
	/** By position. */
	readonly far: ReadonlyMap<string, Pick<TwinSource, 'source' | 'runs'>>;
}

const NOWHERE: Wiring = wiringOf([], undefined, {});
const NOT_RENDERED = { ok: false, problems: [], values: new Map() } as const;

/** What a unit at a position runs makes of it. */
function wiringAt(profile: Renders, source: Profile.RenderingSource, text: string): Wiring {
	const { model } = source;
	const read = model && parseConfig(text, model.dialect, model.rules);
	return read?.ok ? wiringOf(read.tree, model!.grammar?.network, profile.pathNames(source)) : NOWHERE;
}

/** Rehearses sites, each by itself. Pure computation, done beside the main thread: texts can take as long as they like. */
export function rehearseSources(profile: Renders, { sites, far }: ToRehearse): readonly Rehearsal[] {
	const stations = new Map<string, Station>();
	const stationAt = (id: string): readonly Station[] => {
		const one = far.get(id);
		if (!one) return [];
		let station = stations.get(id);
		if (!station) stations.set(id, (station = stationOf(profile, one)));
		return [station];
	};
	return sites.map(({ positions, plan, far: ends, ...site }) => {
		const made = positions.map((one) => twinOf(profile, one));
		const byId = new Map(made.map((one) => [one.twin.positionId, one]));
		const rehearsal = rehearse({
			...site,
			twins: made.map(({ twin }) => twin),
			far: ends.flatMap(stationAt),
			plan: {
				...plan,
				positions: plan.positions.map((position) => {
					const { twin, checks } = byId.get(position.id)!;
					return {
						...position,
						unit: position.unit ?? { serial: '', mac: null },
						...(!twin.isOnline && { targetVersion: twin.target, checks })
					};
				})
			}
		});
		const hide = (id: string, words: string) => byId.get(id)?.hide(words) ?? words;
		return {
			...rehearsal,
			problems: rehearsal.problems.map((one) => ({ ...one, words: hide(one.positionId, one.words) })),
			units: rehearsal.units.map((unit) => ({
				...unit,
				steps: unit.steps.map((step) => ({ ...step, words: hide(unit.positionId, step.words) }))
			}))
		};
	});
}

function stationOf(profile: Renders, { source, runs }: Pick<TwinSource, 'source' | 'runs'>): Station {
	const due = runs === null ? profile.renderPosition(source) : null;
	return {
		id: source.positionId,
		name: source.positionName,
		siteName: source.siteName,
		// One that is not there yet is as it would be, so that it can be named
		wiring:
			runs !== null
				? wiringAt(profile, source, runs)
				: due?.ok
					? readWiring(profile, source, due.tree)
					: NOWHERE,
		isUp: runs !== null
	};
}
const readWiring = (
	profile: Renders,
	source: Profile.RenderingSource,
	tree: Parameters<typeof wiringOf>[0]
): Wiring => wiringOf(tree, source.model?.grammar?.network, profile.pathNames(source));

function twinOf(profile: Renders, { source, unit, version, runs, known }: TwinSource) {
	const { model } = source;
	// What is online runs what it was given: what it would get now is not asked
	const result = runs === null ? profile.renderPosition(source) : NOT_RENDERED;
	const made: Made = result.ok
		? {
				ok: true,
				tree: result.tree,
				lines: result.lines,
				pieces: profile.piecesAt(source).map(({ name }, index) => {
					const part = source.revision!.parts[index];
					return {
						name,
						revision: part?.number ?? source.revision!.number,
						partId: part?.partId ?? null
					};
				}),
				stranding: source.overrideReason === null ? profile.strandingAt(source, result) : []
			}
		: result;
	const twin: Twin = {
		positionId: source.positionId,
		name: source.positionName,
		siteId: source.siteId,
		siteName: source.siteName,
		roleId: source.roleId,
		profileId: source.profileId,
		dialect: model?.dialect ?? '',
		unit,
		isOnline: runs !== null,
		model,
		version,
		target: source.targetVersion,
		images: new Map([...source.images].map(([name, { bytes }]) => [name, bytes])),
		made,
		wiring:
			runs !== null
				? wiringAt(profile, source, runs)
				: result.ok
					? readWiring(profile, source, result.tree)
					: NOWHERE,
		known
	};
	return {
		twin,
		checks: result.ok ? result.beside.checks : [],
		hide: (words: string) => (words === '' ? words : profile.hidingIn(source, result)(words))
	};
}
