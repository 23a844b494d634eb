import type { alignConfigs, TwoConfigs } from '../../../core/config';
import {
	MASK,
	maskSecrets,
	reworks,
	shownLines,
	writeValue,
	type Field,
	type RenderProblem,
	type Resolved,
	type Source
} from '../../../core/profile';
import {
	hidingAt,
	piecesAt,
	renderApart,
	risksAt,
	secretsAt,
	strandingAt,
	type PositionRendering
} from './revisions/renderings';
import { type RenderingSource } from './sources';
import { offMainThread, task } from '../threads';
import { fileUrl } from './files';
import { fieldsOfRevision } from './revisions/revisions';

/** A line of a rendering as people may see it, with where it came from. */
export interface PreviewLine {
	readonly text: string;
	/** The part's name; null for what composing adds. */
	readonly part: string | null;
	readonly sources: readonly number[];
	readonly fields: readonly string[];
}

export interface PreviewValue {
	readonly name: string;
	readonly value: string;
	readonly secret: boolean;
	readonly source: Source;
	readonly instead: readonly { readonly scope: string; readonly value: string }[];
	readonly description: string;
}

/** What one position would get, with everything that explains it or stands against it. */
export interface Preview {
	readonly ok: boolean;
	readonly lines: readonly PreviewLine[];
	/** All lines as one text. */
	readonly text: string;
	/** Where the parts that lines came from are written, by their names. */
	readonly parts: Readonly<Record<string, string>>;
	readonly problems: readonly RenderProblem[];
	readonly values: readonly PreviewValue[];
	/** Scripts, checks and files that go with it, masked. */
	readonly beside: readonly { readonly name: string; readonly text: string }[];
	readonly stranding: readonly string[];
	readonly risks: readonly string[];
	readonly profileId: string;
	readonly profileName: string;
	readonly revisionNumber: number | null;
	readonly targetVersion: string | null;
	readonly modelName: string | null;
	/** Of a bound unit; else of a model that would suit. */
	readonly isBound: boolean;
}

/** Computes a preview; every secret is masked, also in problems. */
export async function previewOf(source: RenderingSource): Promise<Preview> {
	const result = await renderApart(source);
	const pieces = piecesAt(source);
	const fields = source.revision ? fieldsOfRevision(source.revision) : [];
	const secrets = secretsAt(source, result.values);
	const { shown, hidden } = result.ok ? shownLines(result, pieces, secrets) : { shown: [], hidden: [] };
	const masked = shown.map((line) => maskSecrets(line));
	const hide = (text: string) => maskSecrets(text, { ...secrets, values: [...hidden, ...secrets.values] });
	return {
		ok: result.ok,
		lines: result.ok
			? result.lines.map(({ piece, sources, fields: read }, index) => ({
					text: masked[index] ?? '',
					part: piece === null ? null : pieces[piece]!.name,
					sources,
					fields: read
				}))
			: [],
		problems: result.ok
			? []
			: result.problems.map((problem) => ({ ...problem, message: hide(problem.message) })),
		values: [...result.values.values()]
			.map((value) => previewValue(value, secrets.names, fields))
			.sort((a, b) => (a.name < b.name ? -1 : 1)),
		text: masked.map((line) => `${line}\n`).join(''),
		parts: Object.fromEntries(
			(source.revision?.parts ?? []).map(({ name, partId, number }) => [
				name,
				`/profiles/parts/${partId}?revision=${number}&dialect=${source.model?.dialect ?? ''}`
			])
		),
		beside: result.ok ? besideOf(source, result, secrets.names, hide) : [],
		stranding: strandingAt(source, result),
		risks: risksAt(source, result),
		profileId: source.profileId,
		profileName: source.profileName,
		revisionNumber: source.revision?.number ?? null,
		targetVersion: source.targetVersion,
		modelName: source.model?.name ?? null,
		isBound: source.isBound
	};
}

function besideOf(
	source: RenderingSource,
	{ beside: { before, after, checks } }: Extract<PositionRendering, { ok: true }>,
	secret: ReadonlySet<string>,
	hide: (text: string) => string
): Preview['beside'] {
	const said = (text: string | null, name: string, made: readonly (string | undefined)[]) =>
		text === null
			? []
			: [{ name, text: made.some((one) => reworks(one ?? '', secret)) ? NOT_SHOWN : hide(text).trimEnd() }];
	const { revision, model } = source;
	const scripts = revision?.scripts[model!.dialect];
	return [
		...said(before, 'Script before the configuration', [scripts?.before]),
		...said(after, 'Script after the configuration', [scripts?.after]),
		...checks.flatMap(({ name, command, expects, words }) => {
			const asked = revision?.checks.find((check) => check.name === name)?.asks[model!.dialect];
			return said(
				`${command}\n${expects === 'words' ? 'must say' : 'must not say'}: ${words}`,
				`Check “${name}”`,
				[asked?.command, asked?.words]
			);
		}),
		...(revision?.files ?? []).map((file) => ({ name: `File ${file.name}`, text: fileUrl(file) }))
	];
}

const NOT_SHOWN = 'It makes something of a secret, and is not shown.';

function previewValue(
	{ name, value, source, instead }: Resolved,
	secretNames: ReadonlySet<string>,
	fields: readonly Field[]
): PreviewValue {
	const secret = secretNames.has(name);
	const shown = (one: unknown) => (secret ? MASK : writeValue(one as Resolved['value']));
	return {
		name,
		value: shown(value),
		secret,
		source,
		instead: instead.map((other) => ({ scope: other.scope, value: shown(other.value) })),
		description: fields.find((field) => field.name === name)?.description ?? ''
	};
}

const ALIGN = task<Parameters<typeof alignConfigs>[0], ReturnType<typeof alignConfigs>>('alignConfigs');

/** Two texts of one dialect, the second in the order of the first; null when either cannot be read. */
export const alignedTo = (two: TwoConfigs): Promise<ReturnType<typeof alignConfigs>> =>
	offMainThread(ALIGN, two);

/** What runs on a position's unit and what is to run there, masked and in the same order; null when either cannot be read. */
export async function alignedTexts(
	source: RenderingSource,
	two: TwoConfigs
): Promise<{ readonly running: string; readonly intended: string } | null> {
	const [hidden, aligned] = await Promise.all([hidingAt(source), alignedTo(two)]);
	return aligned && { running: hidden(aligned.running), intended: hidden(aligned.intended) };
}

/** What was given to a unit and what it would get now, masked alike: else a mask would differ where nothing does. */
export async function maskedAlike(
	source: RenderingSource,
	given: string
): Promise<{ readonly text: string; readonly against?: string }> {
	const rendering = await renderApart(source);
	const hidden = await hidingAt(source, rendering);
	return { text: hidden(given), ...(rendering.ok && { against: hidden(rendering.text) }) };
}
