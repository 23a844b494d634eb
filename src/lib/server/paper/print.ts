import { createRequire } from 'node:module';
import { dirname, sep } from 'node:path';
import { openSync, type Font } from 'fontkit';
import pdfmake from 'pdfmake';
import type { Content, TDocumentDefinitions } from 'pdfmake/interfaces';

/**
 * Paper as PDF, in the interface's own letters. The font comes in files of some letters each and does not
 * have all that names are written with; `inFonts` finds for each run the first file that has it.
 */
const require = createRequire(import.meta.url);
const file = (family: string, set: string, weight: number) =>
	require.resolve(`@fontsource/${family}/files/${family}-${set}-${weight}-normal.woff`);
const font = (family: string, set: string) => ({
	normal: file(family, set, 400),
	bold: file(family, set, 700)
});

const TEXT = 'atkinson-hyperlegible-next';
const REST = 'noto-sans';
/** In the order in which they are asked for a letter. */
const TEXT_FONTS = {
	Text: font(TEXT, 'latin'),
	// Without commas: a drawing names its fonts in a list with them
	'Text the rest of Latin': font(TEXT, 'latin-ext'),
	...Object.fromEntries(
		['latin-ext', 'vietnamese', 'greek', 'greek-ext', 'cyrillic', 'cyrillic-ext'].map((set) => [
			`Rest ${set}`,
			font(REST, set)
		])
	)
};
const FONTS = { ...TEXT_FONTS, Mono: font('atkinson-hyperlegible-mono', 'latin') };
export const PAPER = {
	ink: '#1f2430',
	quiet: '#625e57',
	pine: '#17665f',
	marigold: '#b97f0a',
	brick: '#b4442f',
	hairline: '#c7c0b3'
} as const;

pdfmake.setFonts(FONTS);
// Nothing on paper comes from elsewhere, whatever somebody typed
pdfmake.setUrlAccessPolicy(() => false);
const fontFolders = Object.values(FONTS).map(({ normal }) => dirname(normal) + sep);
pdfmake.setLocalAccessPolicy((path) => fontFolders.some((folder) => path.startsWith(folder)));

const letters = Object.entries(TEXT_FONTS).map(
	([name, { normal }]) => [name, new Set((openSync(normal) as Font).characterSet)] as const
);
/** Null for a letter that none has: the first font's mark for that is drawn. */
const fontOf = (character: string): string | undefined =>
	letters.find(([, has]) => has.has(character.codePointAt(0)!))?.[0];

interface Run {
	text: string;
	font: string;
}
/** A text as runs, each in the font that has its letters. */
export function inFonts(text: string): Run[] {
	const runs: Run[] = [];
	for (const character of text) {
		const font = fontOf(character) ?? 'Text';
		const last = runs.at(-1);
		if (last?.font === font) last.text += character;
		else runs.push({ text: character, font });
	}
	return runs;
}

/** Makes an A4 document. `name` stands in its properties. */
export async function print(
	name: string,
	content: Content,
	more: Partial<TDocumentDefinitions> = {}
): Promise<Uint8Array> {
	const document = pdfmake.createPdf({
		info: { title: name, creator: 'Limen', producer: 'Limen' },
		pageSize: 'A4',
		pageMargins: [42, 40, 42, 44],
		defaultStyle: { font: 'Text', fontSize: 11, lineHeight: 1.2, color: PAPER.ink },
		content,
		...more
	});
	return new Uint8Array(await document.getBuffer());
}

/** A PDF to look at or print. */
export const pdfResponse = (name: string, body: Uint8Array): Response =>
	new Response(body as BodyInit, {
		headers: {
			'content-type': 'application/pdf',
			'content-disposition': `inline; filename="${name}.pdf"`
		}
	});
