import type { Block, Report, ReportDocument } from '../../../core/report';
import { database } from '../database';
import { PARTS } from './parts';

const UTC = 'UTC';
/** The clock of a customer: that of most of its sites. */
async function zoneOf(customerId: string | null): Promise<string> {
	if (customerId === null) return UTC;
	const { rows } = await database().raw(
		`select time_zone as zone from site where customer_id = ? group by 1 order by count(*) desc, 1 limit 1`,
		[customerId]
	);
	return (rows as { zone: string }[])[0]?.zone ?? UTC;
}

/**
 * A report as whoever reads it may see: what is behind their walls is not in it, nor what people did unless they may see
 * records. Null: there is no such customer for them.
 */
export async function makeReport(
	{ customer: customerId, parts, from, to }: Report,
	{ records }: { readonly records: boolean }
): Promise<ReportDocument | null> {
	const customer =
		customerId === null ? null : await database()('customer').where({ id: customerId }).first('name');
	if (customerId !== null && !customer) return null;
	const zone = await zoneOf(customerId);
	const { rows } = await database().raw(
		`select (:from::date)::timestamp at time zone :zone as from, ((:to::date) + 1)::timestamp at time zone :zone as to`,
		{ from, to, zone }
	);
	const span = rows[0] as { from: Date; to: Date };
	const blocks: Block[] = [];
	for (const part of parts) blocks.push(...(await PARTS[part]({ customerId, ...span, records })));
	return {
		customer: customer?.name ?? 'Every customer',
		title: 'Report',
		subtitle: `${from} to ${to}, by the clock of ${zone}`,
		foot: `Made ${new Date().toISOString().slice(0, 16).replace('T', ' ')} UTC`,
		blocks
	};
}

const LONGEST_NAME = 31;
/** The tables of a report as sheets of a workbook. */
export const sheetsOf = ({ blocks }: ReportDocument) =>
	blocks.flatMap((block) =>
		block.kind === 'table'
			? [
					{
						name: block.title.slice(0, LONGEST_NAME),
						headings: block.columns,
						rows: block.rows.map((row) =>
							row.map((cell, at) => (block.figures?.includes(at) && cell !== '' ? Number(cell) : cell))
						)
					}
				]
			: []
	);
