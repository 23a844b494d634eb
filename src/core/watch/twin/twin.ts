import type { ConfigProblem, ConfigTree, Grammar } from '../../config';
import { rejectedLines, grammarAt } from '../../config';
import { printAddress, lastOf, overlap, printPrefix } from '../../address';
import { noImage, noWay, upgradePath, type FirmwareVersion } from '../../firmware';
import type { RunStep, TimedStep } from '../../onboarding';
import type { RenderedLine, RenderProblem } from '../../profile';
import type { Known } from '../completion';
import type { Wiring } from './network';

/** What stands behind a line of a rendering: the text of a part, or the profile's own. */
export interface PieceBehind {
	readonly name: string;
	readonly revision: number;
	/** Null for the profile's own text. */
	readonly partId: string | null;
}

/** What its unit would be given. */
export type Made =
	| {
			readonly ok: true;
			readonly tree: ConfigTree;
			readonly lines: readonly RenderedLine[];
			readonly pieces: readonly PieceBehind[];
			/** Why it is not given out, where it would strand the unit and nobody has said that it may. */
			readonly stranding: readonly string[];
	  }
	| { readonly ok: false; readonly problems: readonly RenderProblem[] };

/** A unit computed from its pack: what it would do with what it is given. */
export interface Twin {
	readonly positionId: string;
	readonly name: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly roleId: string;
	readonly profileId: string;
	readonly dialect: string;
	/** Null while no hardware is known. */
	readonly unit: { readonly id: string; readonly serial: string } | null;
	/** It is there and runs what it was given: it does not come online again. */
	readonly isOnline: boolean;
	readonly model: {
		readonly name: string;
		readonly ports: Readonly<Record<string, string>>;
		readonly grammar: Grammar | null;
		readonly versions: readonly FirmwareVersion[];
		/** How large an image it has room for, in bytes. */
		readonly room: number | null;
	} | null;
	/** The firmware that it runs, or comes with; null where nobody said. */
	readonly version: string | null;
	readonly target: string | null;
	/** Images of its firmware line that are there, in bytes by version. */
	readonly images: ReadonlyMap<string, number>;
	readonly made: Made;
	readonly wiring: Wiring;
	/** How long each step takes at units like it, by the runs that were. */
	readonly known: Readonly<Record<TimedStep, Known>>;
}

/** Where something is put right. */
export interface Mend {
	readonly href: string;
	readonly words: string;
}

/** Something that would go wrong. */
export interface TwinProblem {
	readonly positionId: string;
	readonly position: string;
	readonly step: RunStep;
	readonly words: string;
	/** The line of the rendering that it is about. */
	readonly line: number | null;
	/** The text behind that line. */
	readonly behind: (PieceBehind & { readonly line: number }) | null;
	/** The field whose value decides it. */
	readonly field: string | null;
	/** Checks of the proof that would fail for it. */
	readonly checks: readonly string[];
	readonly mend: Mend;
}

/** What comes of a unit before its proof. */
export interface TwinRun {
	/** The firmware it begins with, and those it is brought to one after another. */
	readonly versions: readonly string[];
	readonly isAssumed: boolean;
	readonly problems: readonly TwinProblem[];
}

type About = Pick<TwinProblem, 'step' | 'words'> & Partial<TwinProblem>;
const LOOK = 'Look at what it would get';

/** A problem at a twin's position; a line's text and field are found through its origin. */
export function problemAt(twin: Twin, { line = null, ...about }: About): TwinProblem {
	const from = twin.made.ok && line !== null ? twin.made.lines[line - 1] : undefined;
	const piece = twin.made.ok && from?.piece != null ? twin.made.pieces[from.piece] : undefined;
	const at = from?.sources[0];
	const behind = piece && at !== undefined ? { ...piece, line: at } : null;
	return {
		positionId: twin.positionId,
		position: twin.name,
		line,
		behind,
		field: from?.fields[0] ?? null,
		checks: [],
		mend: behind
			? behind.partId === null
				? { href: `/profiles/${twin.profileId}`, words: 'Open the profile' }
				: {
						href: `/profiles/parts/${behind.partId}?line=${behind.line}&dialect=${twin.dialect}`,
						words: 'Open the line'
					}
			: { href: `/positions/${twin.positionId}/preview`, words: LOOK },
		...about
	};
}

/** What a unit would do from its first call until it asks for its proof, up to the first thing that stops it. */
export function runOf(twin: Twin, cableFault: string | null): TwinRun {
	const { model, made, target, images } = twin;
	const all = model?.versions.map(({ version }) => version) ?? [];
	const begins = twin.version ?? target ?? all.at(-1) ?? '';
	const isAssumed = twin.version === null;
	const stopped = (problems: readonly About[], versions: readonly string[] = [begins]): TwinRun => ({
		versions,
		isAssumed,
		problems: problems.map((one) => problemAt(twin, one))
	});
	if (twin.isOnline) return stopped([]);
	if (cableFault !== null)
		return stopped([
			{
				step: 'calling',
				words: cableFault,
				mend: { href: `/sites/${twin.siteId}?cabling`, words: 'Plan the cable again' }
			}
		]);
	if (!made.ok) return stopped(made.problems.map((one) => withheld(twin, one)));
	if (made.stranding.length > 0)
		return stopped([
			{
				step: 'calling',
				words: `It is not given out, for it would strand the unit. ${made.stranding.join(' ')}`
			}
		]);
	const path = target === null ? [] : upgradePath(model?.versions ?? [], begins, target);
	const upload = { href: '/upkeep', words: 'Upload the image' };
	if (path === null)
		return stopped([
			{
				step: 'calling',
				words: noWay(begins, target!),
				mend: { href: `/profiles/${twin.profileId}`, words: 'Choose another target' }
			}
		]);
	// Limen gives nothing out while the image of the target is not there, even to what runs it already
	if (target !== null && path.length === 0 && !images.has(target))
		return stopped([{ step: 'calling', words: noImage(target), mend: upload }]);
	const versions = [begins];
	for (const version of path) {
		const bytes = images.get(version);
		if (bytes === undefined)
			return stopped([{ step: 'calling', words: noImage(version), mend: upload }], versions);
		if (model?.room != null && bytes > model.room)
			return stopped(
				[
					{
						step: 'firmware',
						words: `The image of ${version} is too large for it: ${mebibytes(bytes)} MiB, and there is room for ${mebibytes(model.room)} MiB.`,
						mend: { href: `/profiles/${twin.profileId}`, words: 'Choose another target' }
					}
				],
				versions
			);
		versions.push(version);
	}
	const refused = refusedLine(twin, versions.at(-1)!);
	return stopped(
		refused
			? [
					{
						step: 'configuration',
						words: `It would reject line ${refused.line}: ${refused.message}`,
						line: refused.line
					}
				]
			: [],
		versions
	);
}

const mebibytes = (bytes: number): string => (bytes / 2 ** 20).toFixed(1);

/** What Limen cannot compute it does not give out. */
const withheld = (twin: Twin, { message, field, at, kind, scope }: RenderProblem): About => ({
	step: 'calling',
	words: message,
	line: at,
	field,
	mend:
		kind === 'missing' && field !== null
			? {
					href:
						scope === 'profile'
							? `/profiles/${twin.profileId}`
							: `/sites/${twin.siteId}?position=${twin.positionId}`,
					words: `Give “${field}”`
				}
			: { href: `/positions/${twin.positionId}/preview`, words: LOOK }
});

/** The first line that a version of the firmware would not take: for its words, or because what it says cannot be. */
export function refusedLine(twin: Twin, version: string): ConfigProblem | null {
	const { model, made, wiring } = twin;
	if (!made.ok) return null;
	const grammar =
		model?.grammar &&
		grammarAt(
			model.grammar,
			model.versions.map((one) => one.version),
			version
		);
	// By the grammar as a whole it was looked at when it was rendered
	const isOlder = grammar && grammar !== model?.grammar;
	return (isOlder ? rejectedLines(made.tree, grammar, `Firmware ${version}`)[0] : null) ?? impossible(wiring);
}

/** What no router takes: a range outside its network or the wrong way round, two networks of its own that overlap. */
function impossible({ segments }: Wiring): ConfigProblem | null {
	const found: ConfigProblem[] = [];
	const inOrder = [...segments].sort((a, b) => a.line - b.line);
	inOrder.forEach((segment, index) => {
		const { range } = segment;
		if (
			range &&
			(range.first.version !== segment.version ||
				range.last.version !== segment.version ||
				range.first.value < segment.base ||
				range.last.value > lastOf(segment) ||
				range.first.value > range.last.value)
		)
			found.push({
				line: range.line,
				message: `The range ${printAddress(range.first)} to ${printAddress(range.last)} does not lie in ${printPrefix(segment)}.`
			});
		const other = inOrder.slice(0, index).find((one) => overlap(one, segment));
		if (other)
			found.push({
				line: segment.line,
				message: `${printPrefix(segment)} overlaps ${printPrefix(other)}, which is its own as well.`
			});
	});
	return found.sort((a, b) => a.line - b.line)[0] ?? null;
}

/** Whether a unit gives power to what is in a port, by what the port is for. */
export const gives = ({ wiring: { feeding }, model }: Twin, role: string): boolean =>
	feeding ? feeding.has(model?.ports[role] ?? '') : role.startsWith('ap_feed');
