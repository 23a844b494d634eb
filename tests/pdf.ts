import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';

/** What stands on each page of a PDF, without its spaces. */
export async function wordsOn(pdf: Uint8Array): Promise<string[]> {
	const document = await getDocument({ data: pdf.slice(), verbosity: 0, useSystemFonts: false }).promise;
	const pages: string[] = [];
	for (let number = 1; number <= document.numPages; number++) {
		const { items } = await (await document.getPage(number)).getTextContent();
		const words = items.map((item) => ('str' in item ? item.str + (item.hasEOL ? ' ' : '') : ''));
		// Where lines break is not what matters here
		pages.push(words.join('').replace(/\s+/g, ''));
	}
	return pages;
}
