import type { Content } from 'pdfmake/interfaces';
import type { ReportDocument } from '../../../core/report';
import { offMainThread, task } from '../threads';

/** Pages to print: nothing in them is a function, so that another thread can take them over. */
export interface Printing {
	/** Stands in the document's properties. */
	readonly name: string;
	readonly content: Content;
	readonly pageMargins?: [number, number, number, number];
}
const PRINT = task<Printing, Uint8Array>('print');
const PRINT_REPORT = task<ReportDocument, Uint8Array>('printReport');
/** A long document takes its time, beside everybody else. */
const LONGEST_MS = 30_000;

/** Pages as PDF, made beside the main thread: a page takes up to 70 ms. */
export const printed = (printing: Printing): Promise<Uint8Array> =>
	offMainThread(PRINT, printing, LONGEST_MS);
/** A report as PDF, in the same way. */
export const printedReport = (document: ReportDocument): Promise<Uint8Array> =>
	offMainThread(PRINT_REPORT, document, LONGEST_MS);
