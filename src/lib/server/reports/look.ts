import * as v from 'valibot';
import {
	LARGEST_PICTURE,
	type PaperLook,
	type PictureKind,
	type PictureReading,
	type ReportDocument
} from '../../../core/report';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { editNumber, oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { printedReport } from '../paper';
import { GivenUp, offMainThread, task } from '../threads';

/** How a customer's papers look; an empty name: as the customer is called here. */
export interface CustomerLook {
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	readonly paper: PaperLook;
	readonly edit: number;
}
interface Row {
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	readonly colour: string | null;
	readonly logo: Buffer | null;
	readonly kind: PictureKind | null;
	readonly edit: number;
}
const shown = ({ customerId, customer, name, colour, logo, kind, edit }: Row): CustomerLook => ({
	customerId,
	customer,
	name,
	edit,
	paper: { colour, logo: logo && kind ? { kind, data: logo.toString('base64') } : null }
});
const looks = () =>
	database()('customer')
		.leftJoin('customer_look as look', 'look.customer_id', 'customer.id')
		.orderBy('customer.name')
		.select({
			customerId: 'customer.id',
			customer: 'customer.name',
			name: database().raw(`coalesce(look.name, '')`),
			colour: 'look.colour',
			logo: 'look.logo',
			kind: 'look.logo_kind',
			edit: database().raw('coalesce(look.edit, 0)')
		});

/** How the papers of one customer look; null where there is no such customer. Whoever sees it may. */
export async function lookOf(customerId: string): Promise<CustomerLook | null> {
	const row: Row | undefined = await looks().where('customer.id', customerId).first();
	return row ? shown(row) : null;
}

/** A document of a customer as its papers look. */
export async function underItsLook(document: ReportDocument, customerId: string): Promise<ReportDocument> {
	const look = await lookOf(customerId);
	return look ? { ...document, customer: look.name || document.customer, look: look.paper } : document;
}

const CHECK = task<Uint8Array, PictureReading>('checkPicture');

export const lookSchema = v.object({
	customer: oneId('Which customer?'),
	name: v.pipe(v.optional(v.string(), ''), v.trim(), v.maxLength(120, 'At most 120 characters.')),
	colour: v.pipe(
		v.optional(v.string(), ''),
		v.trim(),
		v.toLowerCase(),
		v.regex(/^(#[0-9a-f]{6})?$/, 'As #17665f, please.')
	),
	/** None chosen: the one that there is stays. */
	logo: v.optional(v.instance(File)),
	without: v.optional(v.literal('on')),
	edit: v.optional(editNumber, '0')
});

/**
 * States how a customer's papers look. Administrators may. Refused: a picture that is none, a file that holds more than a
 * picture, one that cannot be printed; and when somebody else changed it meanwhile.
 */
export async function stateLook(
	{ customer: id, name, colour, logo, without, edit }: v.InferOutput<typeof lookSchema>,
	actor: Actor
): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse('How papers look is for administrators.');
	const picture = logo && logo.size > 0 ? await pictureIn(logo) : null;
	if (picture && !picture.ok) return picture;
	return changing(async (trx) => {
		const customer = await trx('customer').where({ id }).first('name');
		if (!customer) return refuse('There is no such customer any more.');
		const before = await trx('customer_look')
			.where({ customer_id: id })
			.forUpdate()
			.first('edit', 'name', 'colour');
		if ((before?.edit ?? 0) !== edit)
			return refuse('Somebody else has changed this meanwhile. Load the page again to see it.');
		await trx('customer_look')
			.insert({
				customer_id: id,
				name,
				colour: colour || null,
				edit: edit + 1,
				...(picture
					? { logo: picture.done.content, logo_kind: picture.done.kind }
					: without && { logo: null, logo_kind: null })
			})
			.onConflict('customer_id')
			.merge();
		await enterInLedger(trx, actor, [
			{
				act: 'state look of papers',
				customerId: id,
				subjectKind: 'customer',
				subjectId: id,
				words: `How papers of ${customer.name} look was stated${picture ? ', with another logo' : without ? ', without a logo' : ''}.`,
				before: before ? { name: before.name, colour: before.colour } : {},
				after: { name, colour: colour || null }
			}
		]);
		return done(undefined);
	});
}

/** A picture that can be printed: what its header says is true, and a page with it comes out. */
async function pictureIn(file: File): Promise<Act<{ readonly kind: PictureKind; readonly content: Buffer }>> {
	if (file.size > LARGEST_PICTURE) return refuse('A logo has at most 200 kB.');
	const content = Buffer.from(await file.arrayBuffer());
	try {
		const read = await offMainThread(CHECK, new Uint8Array(content));
		if (!read.ok) return refuse(read.problem);
		await printedReport({
			customer: '',
			title: '',
			subtitle: '',
			foot: '',
			blocks: [],
			look: { colour: null, logo: { kind: read.kind, data: content.toString('base64') } }
		});
		return done({ kind: read.kind, content });
	} catch (error) {
		return refuse(
			error instanceof GivenUp
				? 'This picture takes too long to read.'
				: 'This picture cannot be printed. Save it again as PNG.'
		);
	}
}
