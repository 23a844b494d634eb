import { zip, type AsyncZippable } from 'fflate';
import { promisify } from 'node:util';
import { done, refuse, type Act } from '../act';
import { database } from '../database';

/** A handover as lists show it. */
export interface HandoverRow {
	readonly id: string;
	readonly number: number;
	readonly siteId: string;
	readonly siteName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly timeZone: string;
	readonly madeAt: Date;
	readonly madeBy: string;
	readonly acceptedBy: string;
	readonly state: 'held' | 'failed';
	readonly openPoints: number;
}

/** Handovers, newest first: of one site, or of a customer or all. */
export const handovers = (
	{
		siteId = null,
		customerId = null
	}: { readonly siteId?: string | null; readonly customerId?: string | null },
	limit = 500
): Promise<HandoverRow[]> => {
	const query = database()('handover')
		.join('site', 'site.id', 'handover.site_id')
		.join('customer', 'customer.id', 'handover.customer_id')
		.orderBy([
			{ column: 'made_at', order: 'desc' },
			{ column: 'number', order: 'desc' }
		])
		.limit(limit)
		.select<HandoverRow[]>(
			'handover.id',
			'number',
			'site.id as siteId',
			'site.name as siteName',
			'customer.id as customerId',
			'customer.name as customerName',
			'site.time_zone as timeZone',
			'made_at as madeAt',
			'made_by as madeBy',
			'accepted_by as acceptedBy',
			'handover.state as state',
			'open_points as openPoints'
		);
	if (siteId) query.where('site.id', siteId);
	if (customerId) query.where('customer.id', customerId);
	return query;
};

/** What is kept of a handover, by the names of its files. */
export const HANDOVER_FILES = {
	'handover.pdf': { column: 'pdf', type: 'application/pdf' },
	'handover.pdf.p7s': { column: 'pdf_signature', type: 'application/pkcs7-signature' },
	'handover.json': { column: 'record', type: 'application/json' },
	'handover.json.p7s': { column: 'record_signature', type: 'application/pkcs7-signature' },
	'certificate.pem': { column: 'certificate', type: 'application/x-pem-file' }
} as const;
export type HandoverFile = keyof typeof HANDOVER_FILES;
export const isHandoverFile = (name: string): name is HandoverFile => Object.hasOwn(HANDOVER_FILES, name);

interface Kept {
	readonly id: string;
	readonly number: number;
	readonly siteName: string;
	readonly [column: string]: unknown;
}
const kept = (ids: readonly string[]): Promise<Kept[]> =>
	database()('handover')
		.join('site', 'site.id', 'handover.site_id')
		.join('owner_key', 'owner_key.id', 'key_id')
		.whereIn('handover.id', [...ids])
		.orderBy(['site.name', 'number'])
		.select(
			'handover.id',
			'number',
			'site.name as siteName',
			'record',
			'record_signature',
			'pdf',
			'pdf_signature',
			'certificate'
		);
const octetsOf = (row: Kept, name: HandoverFile): Uint8Array => {
	const value = row[HANDOVER_FILES[name].column];
	return typeof value === 'string' ? new TextEncoder().encode(value) : new Uint8Array(value as Buffer);
};

/** One file of a handover; null when there is none. Whoever sees the site's customer may have it. */
export async function handoverFile(id: string, name: HandoverFile): Promise<Uint8Array | null> {
	const [row] = await kept([id]);
	return row ? octetsOf(row, name) : null;
}

/** Each is some 200 kB, more with photos; together they are held in memory while they are packed. */
export const MOST_ZIPPED = 100;
const zipped = promisify<AsyncZippable, Uint8Array>(zip);
const folderOf = ({ siteName, number }: Kept): string =>
	`${siteName.replace(/[\\/:*?"<>|\p{Control}]/gu, '-').replace(/^\.+/, '-')} ${number}`;

/** Many handovers as one ZIP, a folder each. Refused: none, too many, or one that is not there. */
export async function handoversZip(ids: readonly string[]): Promise<Act<Uint8Array>> {
	if (ids.length === 0) return refuse('Choose at least one handover.');
	if (ids.length > MOST_ZIPPED) return refuse(`At most ${MOST_ZIPPED} handovers at once.`);
	const rows = await kept(ids);
	if (rows.length < new Set(ids).size) return refuse('One of these handovers is not there.');
	const files: AsyncZippable = {};
	for (const row of rows)
		for (const name of Object.keys(HANDOVER_FILES) as HandoverFile[])
			// What is compressed already is not compressed again
			files[`${folderOf(row)}/${name}`] = [octetsOf(row, name), { level: name === 'handover.pdf' ? 0 : 6 }];
	return done(await zipped(files));
}
