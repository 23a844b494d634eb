import {
	MASK,
	writeValue,
	type Field,
	type RenderProblem,
	type Resolved,
	type Source
} from '../../../core/profile';
import {
	maskedText,
	piecesAt,
	renderPosition,
	risksAt,
	strandingAt,
	type PositionRendering,
	type RenderingSource
} from './renderings';
import { fileUrl } from './files';
import { fieldsOfRevision, secretsAmong } from './revisions';

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
export function previewOf(source: RenderingSource): Preview {
	const result = renderPosition(source);
	const pieces = piecesAt(source);
	const fields = source.revision ? fieldsOfRevision(source.revision) : [];
	const masked = result.ok ? maskedText(source, result.text).split('\n') : [];
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
			: result.problems.map((problem) => ({ ...problem, message: maskedText(source, problem.message) })),
		values: [...result.values.values()]
			.map((value) => previewValue(value, fields))
			.sort((a, b) => (a.name < b.name ? -1 : 1)),
		beside: result.ok ? besideOf(source, result) : [],
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
	{ beside: { before, after, checks } }: Extract<PositionRendering, { ok: true }>
): Preview['beside'] {
	const said = (text: string | null, name: string) =>
		text === null ? [] : [{ name, text: maskedText(source, text).trimEnd() }];
	return [
		...said(before, 'Script before the configuration'),
		...said(after, 'Script after the configuration'),
		...checks.flatMap(({ name, command, expects, words }) =>
			said(`${command}\n${expects === 'words' ? 'must say' : 'must not say'}: ${words}`, `Check “${name}”`)
		),
		...(source.revision?.files ?? []).map((file) => ({ name: `File ${file.name}`, text: fileUrl(file) }))
	];
}

function previewValue({ name, value, source, instead }: Resolved, fields: readonly Field[]): PreviewValue {
	const secret = secretsAmong(fields)(name);
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
