import type { Content } from 'pdfmake/interfaces';
import { groupSerial } from '../../../core/intake';
import { writePositionCard } from '../../../core/plan';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import type { Actor } from '../ledger';
import { currentSettings, publicUrl } from '../settings';
import { inFonts, PAPER } from './print';
import { printed } from './press';

/** One label of the staging bench. A planned position's code leads to it; a unit's says its serial number. */
interface Label {
	readonly serial: string | null;
	readonly modelName: string | null;
	readonly positionId: string | null;
	readonly positionName: string | null;
	readonly siteName: string | null;
	readonly customerName: string;
	readonly customerId: string;
}

/** More at once is a print run, and keeps others waiting. */
export const MOST_LABELS = 600;
/** Sheets of three by eight labels, 70 mm by 37 mm, as they are sold everywhere. */
const ACROSS = 3;
const DOWN = 8;
const MM = 72 / 25.4;
const [WIDE, HIGH] = [70 * MM, 37 * MM];
/** Printers leave a few millimetres at the edges blank. */
const PADDING = 14;

/** Labels for units and for positions, as sheets to print. Changes nothing; shows what whoever asks may see. */
export async function printLabels(
	{ units, positions }: { readonly units: readonly string[]; readonly positions: readonly string[] },
	actor: Actor
): Promise<Act<Uint8Array>> {
	if (units.length + positions.length === 0) return refuse('Choose at least one unit or position.');
	if (units.length + positions.length > MOST_LABELS) return refuse(`At most ${MOST_LABELS} labels at once.`);
	const { rows } = await database().raw(
		`select unit.serial, model.name as "modelName", position.id as "positionId", position.name as "positionName", site.name as "siteName",
			customer.name as "customerName", customer.id as "customerId"
		from unit join model on model.id = unit.model_id join customer on customer.id = unit.customer_id
		left join binding on binding.unit_id = unit.id left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where unit.id = any (:units::uuid[])
		union all
		select unit.serial, model.name, position.id, position.name, site.name, customer.name, customer.id
		from position join site on site.id = position.site_id join customer on customer.id = position.customer_id
		left join binding on binding.position_id = position.id left join unit on unit.id = binding.unit_id left join model on model.id = unit.model_id
		where position.id = any (:positions::uuid[])
		order by "customerName", "siteName" nulls last, "positionName", serial`,
		{ units: [...units], positions: [...positions] }
	);
	const labels = (rows as Label[]).filter(({ customerId }) => actor.may('see', customerId));
	if (labels.length === 0) return refuse('There is nothing of this any more.');
	return done(
		await printed({ name: `${labels.length} labels`, content: sheets(labels), pageMargins: [0, 0, 0, 0] })
	);
}

function sheets(labels: readonly Label[]): Content[] {
	return labels.map((label, index) => {
		const place = index % (ACROSS * DOWN);
		const [x, y] = [(place % ACROSS) * WIDE, Math.floor(place / ACROSS) * HIGH];
		return {
			...labelAt(label),
			absolutePosition: { x: x + PADDING, y: y + PADDING },
			...(place === 0 && index > 0 && { pageBreak: 'before' as const })
		} as Content;
	});
}

const QR = 64;

function labelAt({ serial, modelName, positionId, positionName, siteName, customerName }: Label) {
	const code = positionId ? writePositionCard(publicUrl(currentSettings()), positionId) : `SN:${serial}`;
	return {
		columns: [
			{
				width: WIDE - 2 * PADDING - QR - 6,
				stack: [
					{ text: inFonts(positionName ?? 'No position yet'), bold: true, fontSize: 13 },
					{ text: inFonts(siteName ?? ''), fontSize: 9.5 },
					{ text: inFonts(customerName), fontSize: 8, color: PAPER.quiet },
					{
						text: serial ? groupSerial(serial) : 'no unit yet',
						font: serial ? 'Mono' : 'Text',
						fontSize: 9.5,
						margin: [0, 5, 0, 0]
					},
					{ text: modelName ?? '', fontSize: 8, color: PAPER.quiet }
				]
			},
			{ width: QR, qr: code, fit: QR, foreground: PAPER.ink }
		]
	};
}
