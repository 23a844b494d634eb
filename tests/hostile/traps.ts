import { strToU8, zipSync } from 'fflate';
import { workbookOf } from '../server/workbook';

const repeated = (count: number, piece: (at: number) => string) =>
	Array.from({ length: count }, (_, at) => piece(at)).join('');
export const row = (at: number, cells: string) => `<row r="${at}">${cells}</row>`;
const text = (at: string, words: string) => `<c r="${at}" t="inlineStr"><is><t>${words}</t></is></c>`;

/** Small files that ask for much. */
export const FILES: Record<string, () => Uint8Array> = {
	'a column as wide as a billion': () =>
		workbookOf('<cols><col min="1" max="1000000000" width="9"/></cols><sheetData/>'),
	'a merge over the whole sheet': () =>
		workbookOf(
			`<sheetData>${row(1, text('A1', 'x'))}</sheetData><mergeCells>${repeated(500, () => '<mergeCell ref="A1:XFD1048576"/>')}</mergeCells>`
		),
	'many merges over many rows': () =>
		workbookOf(
			`<sheetData>${repeated(9000, (at) => row(at + 1, text(`A${at + 1}`, 'x')))}</sheetData><mergeCells>${repeated(5000, () => '<mergeCell ref="A1:B9000"/>')}</mergeCells>`
		),
	'a cell in the last column of each row': () =>
		workbookOf(`<sheetData>${repeated(1000, (at) => row(at + 1, text(`XFD${at + 1}`, 'x')))}</sheetData>`),
	'more rows than a list has': () =>
		workbookOf(`<sheetData>${repeated(60_000, (at) => row(at + 1, text(`A${at + 1}`, 'x')))}</sheetData>`),
	'millions of empty cells': () => workbookOf(`<sheetData>${row(1, '<c/>'.repeat(2_000_000))}</sheetData>`),
	'elements in elements': () => workbookOf('<a>'.repeat(100_000)),
	'an entity that grows': () => {
		const entities = repeated(30, (at) => `<!ENTITY e${at} "${at === 0 ? 'x' : `&e${at - 1};`.repeat(10)}">`);
		return zipSync({
			'_rels/.rels': strToU8(`<!DOCTYPE r [${entities}]><Relationships>&e29;</Relationships>`)
		});
	},
	'far more inside than outside': () => zipSync({ '_rels/.rels': new Uint8Array(50_000_000) }),
	'a text without end': () =>
		workbookOf(`<sheetData>${row(1, text('A1', 'x'.repeat(40_000_000)))}</sheetData>`),
	'no archive at all': () => strToU8('PK\u0003\u0004 and then nothing that a sheet has'),
	'rows far apart': () =>
		workbookOf(
			`<sheetData>${repeated(2000, (at) => row(at * 500_000_000 + 1, text(`A${at + 1}`, 'x')))}</sheetData>`
		)
};

/** Texts that ask for much; each once held everybody up. */
export const TEXTS: Record<string, string> = {
	'many tags on one line': '{% assign a = 1 %}'.repeat(13_000),
	'many tags': '{% assign a = 1 %}\n'.repeat(13_000),
	'tags in tags': '{% if a %}'.repeat(6_000) + '{% endif %}'.repeat(6_000),
	'many missing names':
		repeated(200, (at) => `{{ m${at} }}\n`) + '{% for i in (1..50000) %}{{ i }}{% endfor %}',
	'more names than a text reads': repeated(5_000, (at) => `{{ m${at} }}\n`),
	'a number of many digits': '{{ 1 | pad: 400000000 }}',
	'a text that doubles':
		'{% assign a = "x" %}{% for i in (1..60) %}{% assign a = a | append: a %}{% endfor %}{{ a }}',
	'loops in loops': '{% for a in (1..99999) %}{% for b in (1..99999) %}{% endfor %}{% endfor %}',
	branches: `{% if a %}${'{% elsif a %}x'.repeat(15_000)}{% endif %}`,
	'tags that do not end': '{% '.repeat(80_000),
	'a long path': `{{ a${'.b'.repeat(100_000)} }}`,
	'brackets in brackets': `{{ a${'[a'.repeat(50_000)} }}`
};
