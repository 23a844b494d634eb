import type { Report } from './parts';

/** The files of a report, and their media types: one to read, two to reckon with. */
export const REPORT_FILES = {
	pdf: 'application/pdf',
	xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
	csv: 'text/csv; charset=utf-8'
} as const;
export type ReportFile = keyof typeof REPORT_FILES;

/** What a report's files are called: `report-2026-10-01-2026-10-31`. */
export const reportFileName = ({ from, to }: Pick<Report, 'from' | 'to'>): string => `report-${from}-${to}`;
