import type { Content, TableCell } from 'pdfmake/interfaces';
import type { CablingPicture } from '../../../core/proof';
import type { Block, ReportDocument } from '../../../core/report';
import { counted } from '../../../core/text';
import { inFonts, PAPER, print } from './print';

/** A document of blocks as PDF, under the customer's name. Made beside the main thread: a page takes some 30 ms. */
export async function printReport(document: ReportDocument): Promise<Uint8Array> {
	const unreadable = new Set<string>();
	for (const block of document.blocks)
		if (block.kind === 'images')
			for (const { data } of block.images) if (!(await opens(data))) unreadable.add(data);
	return print(
		`${document.customer}: ${document.title}`,
		[head(document), ...laidOut(document.blocks, unreadable)],
		{
			footer: (page: number, pages: number): Content => ({
				columns: [
					{ text: inFonts(document.foot), fontSize: 8, color: PAPER.quiet },
					{ width: 60, text: `${page} of ${pages}`, alignment: 'right', fontSize: 8, color: PAPER.quiet }
				],
				margin: [42, 12, 42, 0]
			})
		}
	);
}

/** A table with more columns lies across its page; what is beyond these is left to the figures. */
const MOST_UPRIGHT = 7;
const MOST_ACROSS = 11;

/** Blocks in their order; those with wide tables on pages of their own that lie across. */
function laidOut(blocks: readonly Block[], unreadable: ReadonlySet<string>): Content[] {
	let isAcross = false;
	return blocks.flatMap((block) => {
		const liesAcross = block.kind === 'table' && block.rows.length > 0 && block.columns.length > MOST_UPRIGHT;
		const content = drawn(liesAcross ? narrowed(block) : block, unreadable);
		if (liesAcross === isAcross) return [content];
		isAcross = liesAcross;
		const turn = {
			pageBreak: 'before' as const,
			pageOrientation: liesAcross ? ('landscape' as const) : ('portrait' as const)
		};
		return [{ text: '', fontSize: 1, ...turn }, content];
	});
}

type Table = Extract<Block, { kind: 'table' }>;
const narrowed = (table: Table): Table => ({
	...table,
	columns: table.columns.slice(0, MOST_ACROSS),
	rows: table.rows.map((row) => row.slice(0, MOST_ACROSS)),
	moreColumns: Math.max(0, table.columns.length - MOST_ACROSS)
});

/** Whose it is, what it is, and how its customer's papers look. */
function head({ customer, title, subtitle, look }: ReportDocument): Content {
	const words: Content = [
		{ text: inFonts(customer), fontSize: 12, color: PAPER.quiet },
		{ text: inFonts(title), bold: true, fontSize: 22, margin: [0, 0, 0, 2] },
		...(subtitle ? [{ text: inFonts(subtitle), color: PAPER.quiet }] : [])
	];
	const logo = look?.logo;
	return [
		logo
			? {
					columns: [
						{ width: '*', stack: words },
						{
							width: 150,
							image: `data:${logo.kind};base64,${logo.data}`,
							fit: [150, 54],
							alignment: 'right'
						}
					],
					columnGap: 12
				}
			: words,
		...(look?.colour
			? [
					{
						canvas: [{ type: 'rect' as const, x: 0, y: 0, w: PAGE_WIDTH, h: 3, color: look.colour }],
						margin: [0, 8, 0, 2] as [number, number, number, number]
					}
				]
			: [])
	];
}
/** Between the margins of an A4 page, in points. */
const PAGE_WIDTH = 511;

const picture = (data: string): Content => ({ image: `data:image/jpeg;base64,${data}`, fit: [240, 180] });

/** Whether a picture can be drawn: one that came broken must not keep all others off the paper. */
const opens = (data: string): Promise<boolean> =>
	print('', picture(data)).then(
		() => true,
		() => false
	);

const heading = (words: string): Content =>
	words === '' ? '' : { text: inFonts(words), bold: true, fontSize: 13, margin: [0, 14, 0, 4] };

/** A word longer than its column would push the others off the page; the fonts have no sign for a place to break. */
const breaking = (text: string): string => text.replace(/\S{36}(?=\S)/g, '$& ');

function drawn(block: Block, unreadable: ReadonlySet<string>): Content {
	switch (block.kind) {
		case 'facts':
			// A table without rows is none that could be drawn
			if (block.facts.length === 0) return '';
			return {
				stack: [
					heading(block.title),
					{
						layout: 'noBorders',
						table: {
							widths: [90, '*'],
							body: block.facts.map(({ name, value }): TableCell[] => [
								{ text: inFonts(name), color: PAPER.quiet, fontSize: 10 },
								{ text: inFonts(breaking(value)), fontSize: 10 }
							])
						},
						margin: [0, block.title === '' ? 8 : 0, 0, 0]
					}
				]
			};
		case 'table':
			return block.rows.length === 0
				? [heading(block.title), { text: inFonts(block.otherwise) }]
				: [
						heading(block.title),
						{
							layout: {
								hLineWidth: (row: number) => (row === 0 ? 0 : 0.5),
								vLineWidth: () => 0,
								hLineColor: () => PAPER.hairline,
								paddingLeft: () => 0,
								paddingRight: () => 10
							},
							table: {
								headerRows: 1,
								dontBreakRows: true,
								widths: block.columns.map((_, index) => (index === block.columns.length - 1 ? '*' : 'auto')),
								body: [
									block.columns.map((words): TableCell => ({
										text: inFonts(words),
										bold: true,
										fontSize: 9
									})),
									...block.rows.map((row) =>
										row.map((words, index): TableCell => ({
											text: block.mono?.includes(index) ? words : inFonts(breaking(words)),
											...(block.mono?.includes(index) && { font: 'Mono' }),
											fontSize: 9
										}))
									)
								]
							}
						},
						...[
							block.more ? `And ${counted(block.more, 'row')} more, in the figures.` : '',
							block.moreColumns ? `And ${counted(block.moreColumns, 'column')} more, in the figures.` : ''
						].flatMap((text) =>
							text === ''
								? []
								: [
										{
											text,
											color: PAPER.quiet,
											fontSize: 9,
											margin: [0, 3, 0, 0] as [number, number, number, number]
										}
									]
						)
					];
		case 'text':
			return [
				heading(block.title),
				{ ul: block.lines.map((line): Content => ({ text: inFonts(breaking(line)), fontSize: 10 })) }
			];
		case 'drawing':
			return { stack: [heading(block.title), { svg: block.svg, width: block.width }], unbreakable: true };
		case 'cabling':
			return {
				stack: [
					heading(block.title),
					{ svg: cablingSvg(block.picture), width: Math.min(500, block.picture.width * 0.75) }
				],
				unbreakable: true
			};
		case 'images':
			return [
				heading(block.title),
				...pairs(block.images).map((pair): Content => ({
					columns: pair.map(({ data, words }) => ({
						width: 240,
						stack: [
							unreadable.has(data)
								? { text: 'This picture cannot be read.', color: PAPER.quiet }
								: picture(data),
							{ text: inFonts(words), fontSize: 9, color: PAPER.quiet }
						]
					})),
					columnGap: 20,
					margin: [0, 0, 0, 8],
					unbreakable: true
				}))
			];
	}
}

const escaped = (text: string): string =>
	text.replace(/[&<>"]/g, (character) => `&#${character.codePointAt(0)};`);

/** A site's cables as a drawing: its letters in the paper's fonts. */
function cablingSvg({ width, height, boxWidth, boxHeight, socket, boxes, lines }: CablingPicture): string {
	const words = (x: number, y: number, text: string, more: string, ink: string = PAPER.ink) => {
		const runs = inFonts(text)
			.map((run) => `<tspan font-family="${run.font}">${escaped(run.text)}</tspan>`)
			.join('');
		// On a ground of paper first, so that no line runs through it
		return ['fill="#ffffff" stroke="#ffffff" stroke-width="4"', `fill="${ink}"`]
			.map((drawn) => `<text x="${x}" y="${y}" ${more} ${drawn}>${runs}</text>`)
			.join('');
	};
	const box = (x: number, y: number, more: string) =>
		`<rect x="${x - boxWidth / 2}" y="${y - boxHeight / 2}" width="${boxWidth}" height="${boxHeight}" rx="4" ${more}/>`;
	const middle = 'text-anchor="middle"';
	const STROKES = {
		right: `stroke="${PAPER.pine}"`,
		half: `stroke="${PAPER.marigold}" stroke-dasharray="2 3"`,
		elsewhere: `stroke="${PAPER.brick}" stroke-dasharray="6 4"`,
		missing: `stroke="${PAPER.brick}" stroke-dasharray="6 4"`,
		unread: `stroke="${PAPER.quiet}"`
	};
	return [
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}">`,
		...(socket
			? [
					box(socket.x, socket.y, `fill="none" stroke="${PAPER.hairline}" stroke-dasharray="4 3"`),
					words(socket.x, socket.y + 5, 'the provider’s socket', `${middle} font-size="13"`, PAPER.quiet)
				]
			: []),
		...lines.map(({ near, far, x1, y1, x2, y2, state, words: said }) =>
			[
				`<path d="M${x1} ${y1}C${x1} ${y1 + 34} ${x2} ${y2 - 34} ${x2} ${y2}" fill="none" stroke-width="2" ${STROKES[state]}/>`,
				far ? words(x1, y1 + 15, far.port, `${middle} font-size="12"`) : '',
				words(x2, y2 - 7, near.port, `${middle} font-size="12"`),
				said ? words((x1 + x2) / 2 + 8, (y1 + y2) / 2 + 4, said, 'font-size="12"') : ''
			].join('')
		),
		...boxes.map(
			({ name, x, y }) =>
				box(x, y, `fill="#ffffff" stroke="${PAPER.ink}"`) +
				words(x, y + 5, name.length > 20 ? `${name.slice(0, 19)}…` : name, `${middle} font-size="14"`)
		),
		'</svg>'
	].join('');
}

const pairs = <One>(all: readonly One[]): readonly (readonly One[])[] =>
	all.flatMap((_, index) => (index % 2 === 0 ? [all.slice(index, index + 2)] : []));
