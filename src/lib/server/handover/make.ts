import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import {
	differences,
	handoverDocument,
	handoverSchema,
	strokesSchema,
	writeRecord,
	type HandoverRecord,
	type PhotoData
} from '../../../core/handover';
import { exactly } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { database, isRefusal, timeNow } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { printedReport } from '../paper';
import { underItsLook } from '../reports';
import { lastProof, type ShownProof } from '../proof';
import { currentSettings } from '../settings';
import { signDetached, signingKey } from '../signing';
import {
	type HandedSite,
	type Photo,
	cablesAt,
	notesAt,
	photosAt,
	sha256,
	siteToHandOver,
	unitsAt
} from './gather';

const linesOf = v.pipe(
	v.string(),
	v.maxLength(8_000, 'At most 8,000 characters.'),
	v.transform((text) =>
		text
			.split('\n')
			.map((line) => line.trim())
			.filter(Boolean)
	),
	v.maxLength(40, 'At most 40 open points.')
);
/** What whoever hands over says. */
export const handingOverSchema = v.object({
	acceptedBy: v.pipe(v.string(), v.trim(), v.minLength(1, 'Who accepted it?'), v.maxLength(200)),
	how: v.picklist(['on the screen', 'on the phone', 'by telephone']),
	signature: v.optional(v.union([v.literal(''), strokesSchema], 'The signature cannot be read.'), ''),
	/** Of a signature that was taken on the phone. */
	signed: v.optional(v.union([v.literal(''), v.pipe(v.string(), v.uuid())], 'Choose who signed.'), ''),
	openPoints: v.optional(linesOf, '')
});
type HandingOver = v.InferOutput<typeof handingOverSchema>;

/**
 * Hands a site over: makes the record of what stands there and what its last proof showed, seals it and keeps it as it
 * is. Whoever may prove sites of the customer may. Refused: before a proof has ended, after another unit was bound since,
 * or without a signature where it was signed on the screen.
 */
export async function makeHandover(
	siteId: string,
	given: HandingOver,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly number: number }>> {
	const site = await siteToHandOver(siteId);
	if (!site) return refuse('There is no such site any more.');
	if (!actor.may('prove', site.customerId)) return refuse('You may not hand over sites of this customer.');
	const accepted = await acceptance(siteId, given);
	if (!accepted) return refuse('Let them sign first, or say that they accepted it by telephone.');
	const proof = await lastProof(siteId);
	if (!proof || proof.state === 'open' || proof.state === 'ended')
		return refuse('Prove the site first: a handover says what its proof showed.');
	if (site.proofState === null)
		return refuse('Another unit was bound since the last proof. Prove the site again first.');
	const photos = await photosAt(siteId);
	const made = await record(site, proof, photos, { accepted, openPoints: given.openPoints }, actor);
	const text = writeRecord(made);
	const at = new Date(made.madeAt);
	const moment = (iso: string) => exactly(new Date(iso), site.timeZone);
	const data: PhotoData = photos.map(({ photo }) => ({ data: photo.toString('base64') }));
	const pdf = await printedReport(await underItsLook(handoverDocument(made, data, moment), site.customerId));
	const key = await signingKey(site.customerId);
	const octets = new TextEncoder().encode(text);
	const [recordSignature, pdfSignature] = await Promise.all([
		signDetached(octets, key, at),
		signDetached(pdf, key, at)
	]);
	const hash = sha256(octets);
	try {
		await database().transaction(async (trx) => {
			await trx('handover').insert({
				id: made.id,
				site_id: siteId,
				customer_id: site.customerId,
				proof_id: proof.id,
				number: made.number,
				made_at: at,
				made_by: made.madeBy,
				state: proof.state,
				open_points: made.openPoints.length,
				accepted_by: made.accepted.name,
				key_id: key.id,
				record: Buffer.from(octets),
				record_signature: Buffer.from(recordSignature),
				record_sha256: hash,
				pdf: Buffer.from(pdf),
				pdf_signature: Buffer.from(pdfSignature)
			});
			await notify(trx, 'proofs', site.customerId, [siteId]);
			await enterInLedger(trx, actor, [
				{
					act: 'hand over site',
					customerId: site.customerId,
					subjectKind: 'site',
					subjectId: siteId,
					words: `${site.name} was handed over to ${made.accepted.name}, ${made.accepted.how}: number ${made.number}.`,
					detail: { handover: made.id, record: hash, pdf: sha256(pdf) }
				}
			]);
		});
	} catch (error) {
		if (isRefusal(error)) return refuse('Somebody else has just handed this site over. Look at it first.');
		throw error;
	}
	return done({ id: made.id, number: made.number });
}

/** Who accepted it and how; null where they were to sign and did not. What was signed on the phone has its own time. */
async function acceptance(siteId: string, given: HandingOver): Promise<Accepted | null> {
	if (given.how === 'by telephone') return { name: given.acceptedBy, how: 'by telephone', signature: null };
	if (given.how === 'on the screen')
		return given.signature === ''
			? null
			: { name: given.acceptedBy, how: 'on the screen', signature: given.signature };
	const signed = (await signaturesAt(siteId)).find(({ id }) => id === given.signed);
	return signed
		? { name: signed.name, how: 'on the screen', signature: signed.signature, at: signed.at.toISOString() }
		: null;
}
type Accepted = Omit<HandoverRecord['accepted'], 'at'> & { readonly at?: string };

/** Signatures taken on the phone since the site was handed over last, the latest first. */
export const signaturesAt = (
	siteId: string
): Promise<{ readonly id: string; readonly name: string; readonly signature: string; readonly at: Date }[]> =>
	database()('day_entry')
		.where({ site_id: siteId, kind: 'signature', outcome: 'done' })
		.whereRaw(
			`done_at > coalesce((select max(made_at) from handover where handover.site_id = day_entry.site_id), '-infinity')`
		)
		.orderBy('done_at', 'desc')
		.limit(10)
		.select('id', 'words as name', 'signature', 'done_at as at');

async function record(
	site: HandedSite,
	proof: ShownProof,
	photos: readonly Photo[],
	given: { readonly accepted: Accepted; readonly openPoints: readonly string[] },
	actor: Actor
): Promise<HandoverRecord> {
	const [units, cabling, notes, before] = await Promise.all([
		unitsAt(database(), site.id),
		cablesAt(site.id),
		notesAt(site.id),
		database()('handover')
			.where({ site_id: site.id })
			.orderBy('number', 'desc')
			.first('number', 'made_at as madeAt', 'record', 'record_sha256 as sha256')
	]);
	const checks = proof.checks.map(({ positionName, title, kind, state, words, figures }) => ({
		position: positionName,
		title,
		kind,
		state: state as 'holds' | 'fails' | 'unread' | 'cannot',
		words,
		figures: [...figures]
	}));
	const now = {
		units,
		cabling,
		proof: {
			state: proof.state as 'held' | 'failed',
			beganAt: proof.begunAt.toISOString(),
			endedAt: proof.endedAt!.toISOString(),
			checks
		}
	};
	const madeAt = toTheSecond(new Date(timeNow())).toISOString();
	return {
		format: 1,
		id: uuid(),
		number: (before?.number ?? 0) + 1,
		madeAt,
		madeBy: actor.name,
		firm: currentSettings().LIMEN_FIRM,
		customer: site.customerName,
		site: { name: site.name, address: site.address, timeZone: site.timeZone, contact: site.contact },
		...now,
		photos: photos.map(({ position, words, at, photo }) => ({ position, words, at, sha256: sha256(photo) })),
		notes,
		openPoints: [...failing(checks), ...given.openPoints],
		accepted: { at: madeAt, ...given.accepted },
		previous: before
			? {
					number: before.number,
					madeAt: before.madeAt.toISOString(),
					sha256: before.sha256,
					differs: [...differsFrom(before.record, now)]
				}
			: null
	};
}

/** A signature says its time to the second. */
const toTheSecond = (at: Date): Date => new Date(Math.floor(at.getTime() / 1000) * 1000);
/** A record stays as it was written, also when records are written otherwise one day. */
function differsFrom(octets: Buffer, now: Parameters<typeof differences>[1]): readonly string[] {
	const before = v.safeParse(v.pipe(v.string(), v.parseJson(), handoverSchema), octets.toString());
	return before.success
		? differences(before.output, now)
		: ['The earlier record is of another form: compare the documents.'];
}
/** What does not hold is open by itself. */
const failing = (checks: HandoverRecord['proof']['checks']): readonly string[] =>
	checks.flatMap(({ position, title, state, words }) =>
		state === 'fails' || state === 'unread'
			? [
					`${position}: ${title} ${state === 'fails' ? 'does not hold' : 'could not be read'}. ${words}`.slice(
						0,
						4000
					)
				]
			: []
	);
