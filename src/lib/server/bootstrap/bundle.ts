import { promisify } from 'node:util';
import { strToU8, zip, type AsyncZippable } from 'fflate';
import * as v from 'valibot';
import {
	BUNDLE_FILES,
	BUNDLE_KINDS,
	bundleSheet,
	bootstrapUri,
	folderOf,
	SHEET
} from '../../../core/bootstrap';
import { done, refuse, type Act } from '../act';
import { bootstrapServer } from '../certificates';
import { BOOTSTRAP, database, runAs, timeNow } from '../database';
import { manyIds } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { recordAll } from '../runs';
import { signedAnswer } from '../trust';
import { ourselves, toBecome, type Served } from './service';

const MOST_UNITS = 200;
export const bundleSchema = v.object({
	unit: manyIds('Choose at least one unit.', MOST_UNITS),
	kind: v.picklist(BUNDLE_KINDS, 'Choose what is in it.')
});

/** A unit for which files could be made, or why not. */
export interface BundleCandidate {
	readonly unitId: string;
	readonly serial: string;
	readonly customerId: string;
	readonly positionId: string;
	readonly place: string;
	readonly runId: string;
	/** What it runs, as far as it has said so. */
	readonly version: string | null;
	readonly goodUntil: Date | null;
	/** When files were made last in this run, and whether it was heard of since. */
	readonly madeAt: Date | null;
	readonly heardSince: Date | null;
	readonly problem: string | null;
}

const candidates = async (where: string, values: Record<string, unknown>): Promise<BundleCandidate[]> => {
	const { rows } = await database().raw(
		`select unit.id as "unitId", unit.serial, unit.customer_id as "customerId", position.id as "positionId",
			site.name || ', ' || position.name as place, run.id as "runId", unit.reported_version as version, voucher.expires_at as "goodUntil",
			made.at as "madeAt", (select min(at) from run_event where run_id = run.id and id > made.id and kind <> 'bundle') as "heardSince",
			case when run.outcome <> 'open' then 'It is not on its way to be online.'
				when voucher.content is null or voucher.expires_at <= now() then 'Its maker has given no voucher for it.' end as problem
		from binding join unit on unit.id = binding.unit_id join run on run.id = binding.run_id
		join position on position.id = binding.position_id join site on site.id = position.site_id
		left join voucher on voucher.unit_id = unit.id
		left join lateral (select id, at from run_event where run_id = run.id and kind = 'bundle' order by id desc limit 1) made on true
		where ${where} order by position.name`,
		values as never
	);
	return rows;
};
/** Units of a site that could get files, and why others cannot. */
export const bundlesAt = (siteId: string): Promise<BundleCandidate[]> =>
	candidates('site.id = :site', { site: siteId });

const zipped = promisify<AsyncZippable, Uint8Array>(zip);

/**
 * Files for removable storage, signed, for units on their way that have a voucher: one ZIP with a sheet. Whoever may bind a unit may
 * have where to ask put into them; all that it is to become, with its secrets, is for those who may see these. Refused: a
 * unit without a voucher, or that is on no way; one for which nothing can be computed.
 */
export async function makeBundle(
	{ unit: unitIds, kind }: v.InferOutput<typeof bundleSchema>,
	actor: Actor
): Promise<Act<Uint8Array<ArrayBuffer>>> {
	const units = await candidates('unit.id = any(:units::uuid[])', { units: unitIds });
	if (units.length !== new Set(unitIds).size)
		return refuse('One of these units is bound to no position any more.');
	for (const { customerId } of units) {
		if (!actor.may('bind', customerId)) return refuse('You may not bring these units online.');
		if (kind === 'all' && !actor.may('reveal secret', customerId))
			return refuse('Their configurations hold secrets: they are for those who may see those.');
	}
	const [missing] = units.filter(({ problem }) => problem !== null);
	if (missing) return refuse(`${missing.serial}: ${missing.problem}`);
	return runAs(BOOTSTRAP, () => bundle(units, kind, actor));
}

async function bundle(
	units: readonly BundleCandidate[],
	kind: v.InferOutput<typeof bundleSchema>['kind'],
	actor: Actor
): Promise<Act<Uint8Array<ArrayBuffer>>> {
	const files: AsyncZippable = {};
	const served = new Map<string, Served>();
	for (const { unitId, serial, positionId, runId, version } of units) {
		const becoming = kind === 'all' ? await toBecome(positionId, unitId, version ?? undefined) : null;
		if (becoming && !becoming.ok) return refuse(`${serial}: ${becoming.words}`);
		if (becoming) served.set(runId, becoming.served);
		const information = becoming?.information ?? (await ourselves());
		const signed = await signedAnswer({ unitId, serial }, JSON.stringify(information), undefined);
		if (!signed) return refuse(`${serial}: its voucher has just ended.`);
		for (const [artifact, name] of Object.entries(BUNDLE_FILES))
			files[`${folderOf(serial, units.length)}${name}`] = Buffer.from(
				signed[artifact as keyof typeof BUNDLE_FILES],
				'base64'
			);
	}
	const at = new Date(timeNow());
	const listed = units.map(({ serial, place, goodUntil }) => ({ serial, place, goodUntil: goodUntil! }));
	files[SHEET] = strToU8(
		bundleSheet(kind, listed, { by: actor.name, at, server: bootstrapUri(bootstrapServer()) })
	);
	const content = new Uint8Array(await zipped(files));
	const words = kind === 'ask' ? 'where to ask' : 'all that it is to become';
	await database().transaction(async (trx) => {
		await recordAll(
			trx,
			units.map(({ runId }) => ({
				runId,
				event: { kind: 'bundle', at: at.getTime() },
				words: `Files for removable storage were made by ${actor.name}: ${words}.`,
				...(served.has(runId) && { served: served.get(runId)! })
			}))
		);
		await enterInLedger(
			trx,
			actor,
			units.map(({ unitId, customerId, serial }) => ({
				act: 'make bundle',
				customerId,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `Files for removable storage were made for unit ${serial}: ${words}.`
			}))
		);
	});
	return done(content);
}
