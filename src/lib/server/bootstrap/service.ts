import { maskSecrets } from '../../../core/profile';
import { normalSerial } from '../../../core/intake';
import { wayTo } from '../../../core/firmware';
import {
	bootstrapUri,
	encodeConveyed,
	hexString,
	INPUT,
	onboardingInformation,
	redirectInformation,
	type ConveyedInformation,
	type Onboarding,
	type ReportProgress
} from '../../../core/bootstrap';
import { BOOTSTRAP, database, grouped, isRefusal, timeNow } from '../database';
import { record, type Happening } from '../runs';
import { imageAddress } from '../firmware';
import { hidingAt, renderPosition, strandingAt, renderingSources, type RenderingSource } from '../profile';
import type { ExpectedUnit } from './authentication';
import { noteCaller } from '../door';
import { bootstrapServer, serverAnchor } from '../certificates';
import { signedAnswer, type SignedAnswer } from '../trust';

/** What a unit says of itself when it asks. */
export interface Asking {
	readonly 'hw-model'?: string | undefined;
	readonly 'os-name'?: string | undefined;
	readonly 'os-version'?: string | undefined;
	/** It believes only what its owner signed. */
	readonly 'signed-data-preferred'?: readonly [null] | undefined;
	/** Of one without a clock. */
	readonly nonce?: string | undefined;
}
export { INPUT };

/** What a unit is answered, each as base64 of CMS. */
export type BootstrappingData = SignedAnswer | { readonly 'conveyed-information': string };

const sources = grouped<string, RenderingSource | undefined>(BOOTSTRAP, async (positionIds) => {
	const found = await renderingSources(database(), positionIds);
	return positionIds.map((id) => found.get(id));
});

/** Past so many times in a row a unit that is sent on does not come where it is sent. */
const MOST_SENT_ON = 3;
/** Beyond these nothing new is said, and a unit that goes in a circle fills no disk. */
const MOST_SENT_ON_KEPT = 50;

/**
 * Where a unit is to ask, and by which certificate it knows that server, for a unit that `expectUnit` let in: signed where it
 * prefers that. Records that it called, and says so when it has been sent on again and again. Null when there is nothing
 * for it now: as with `bootstrappingData`, and as long as it believes vouchers alone and has none. Unsigned it would go to a
 * server that it does not trust, become what is signed there, and tell nobody by which key it is known.
 */
export async function whereToAsk(
	unit: ExpectedUnit,
	asking: Asking,
	serial: string,
	address: string
): Promise<BootstrappingData | null> {
	if (await isHeld(unit, serial, address)) return null;
	const { runId, unitId } = unit;
	const information = await ourselves();
	const given = asking['signed-data-preferred']
		? await signedAnswer({ unitId, serial: normalSerial(serial) }, JSON.stringify(information), asking.nonce)
		: { 'conveyed-information': encodeConveyed(information) };
	const before = await sentOn(runId);
	if (before < MOST_SENT_ON_KEPT)
		await record({
			runId,
			event: { kind: 'redirect', at: timeNow() },
			words: given
				? `${bootstrapUri(bootstrapServer())}${'ownership-voucher' in given ? ', signed' : ''}.${before < MOST_SENT_ON ? '' : ` This was said ${before + 1} times, and it did not come: it does not get there, does not believe it, or goes in a circle.`}`
				: 'It was told nothing: it believes its maker’s vouchers alone, and there is none for it yet.',
			facts: { address, ...(asking['os-version'] && { version: asking['os-version'] }) }
		});
	return given;
}

/** How often a run's unit has been sent on since it was last heard of otherwise. */
async function sentOn(runId: string): Promise<number> {
	const { rows } = await database().raw(
		`select count(*)::int as times from run_event where run_id = :run and kind = 'redirect'
			and id > coalesce((select max(id) from run_event where run_id = :run and kind <> 'redirect'), 0)`,
		{ run: runId }
	);
	return rows[0].times;
}

/** Whether there is nothing for a unit until a person lets it begin again; then it is told at the door. */
async function isHeld({ outcome }: ExpectedUnit, serial: string, address: string): Promise<boolean> {
	if (outcome === 'open') return false;
	await noteCaller({ serial, reason: 'held', address });
	return true;
}

/**
 * What a unit is to become, for a unit that `expectUnit` let in: signed where it prefers that and has a voucher; else, as
 * RFC 8572 wants of whoever is not believed, only where to ask. Records the call and what was served. Returns null when there is nothing for it now: its run has failed or is through, and only a
 * person lets it begin again (whoever has read a label must not get what an online unit runs); or what it
 * should get cannot be computed (then the run fails and says why).
 */
export async function bootstrappingData(
	unit: ExpectedUnit,
	asking: Asking,
	serial: string,
	address: string
): Promise<BootstrappingData | null> {
	if (await isHeld(unit, serial, address)) return null;
	const { runId } = unit;
	const version = asking['os-version'];
	const prepared = await toBecome(unit.positionId, unit.unitId, version);
	const call: Happening = {
		runId,
		event: { kind: 'call', at: timeNow() },
		words: describe(asking),
		facts: { address, ...(version && { version }) },
		...(prepared.ok && { served: prepared.served })
	};
	await record(call);
	if (!prepared.ok) {
		await record({
			runId,
			event: { kind: 'withheld', at: timeNow(), words: prepared.words },
			words: prepared.words
		});
		return null;
	}
	if (!asking['signed-data-preferred'])
		return { 'conveyed-information': encodeConveyed(prepared.information) };
	const signed = await signedAnswer(
		{ unitId: unit.unitId, serial: normalSerial(serial) },
		JSON.stringify(prepared.information),
		asking.nonce
	);
	return signed ?? { 'conveyed-information': encodeConveyed(await ourselves()) };
}

/** Where Limen's bootstrap server is, with the certificate by which it is known. */
export async function ourselves(): Promise<ConveyedInformation> {
	const { name, port } = bootstrapServer();
	return redirectInformation(name, port, await serverAnchor());
}

/** Records one progress report of a unit that `expectUnit` let in. Resolves when it is durable. */
export async function recordProgress(unit: ExpectedUnit, report: ReportProgress): Promise<void> {
	const { message = '', 'progress-type': type } = report;
	// What went wrong may quote what it was given
	const words = /error|warning/.test(type)
		? (await hidingAt(await sources(unit.positionId)))(message)
		: maskSecrets(message);
	const hostKeys = report['ssh-host-keys']?.['ssh-host-key']?.map((one) => ({
		algorithm: one.algorithm,
		key: one['key-data']
	}));
	const said: Happening = {
		runId: unit.runId,
		event: { kind: 'report', at: timeNow(), type, words },
		words
	};
	if (!hostKeys?.length) return void (await record(said));
	try {
		await record({ ...said, facts: { hostKeys } });
	} catch (error) {
		if (!isRefusal(error)) throw error;
		await record({
			...said,
			words: `${words} (Limen: another unit already has this host key; it was not kept.)`
		});
	}
}

/** What was put into what a unit is given, to be compared with what it runs. */
export type Served = NonNullable<Happening['served']>;
type Prepared =
	| {
			readonly ok: true;
			readonly information: ConveyedInformation;
			readonly served: Served;
	  }
	| { readonly ok: false; readonly words: string };

/** What a unit is to become at a position, or why not, as people may read it. Runs as BOOTSTRAP. */
export async function toBecome(
	positionId: string,
	unitId: string,
	version: string | undefined
): Promise<Prepared> {
	const source = await sources(positionId);
	if (!source) return { ok: false, words: 'The position is gone.' };
	const prepared = prepare(source, version, unitId);
	return prepared.ok ? prepared : { ok: false, words: (await hidingAt(source))(prepared.words) };
}

/** `version`: the firmware that the unit runs, where it says so. */
function prepare(source: RenderingSource, version: string | undefined, unitId: string): Prepared {
	const rendering = renderPosition(source);
	if (!rendering.ok) return { ok: false, words: rendering.problems.map(({ message }) => message).join(' ') };
	const stranding = source.overrideReason === null ? strandingAt(source, rendering) : [];
	if (stranding.length > 0)
		return { ok: false, words: `It was not sent, for it would strand the unit. ${stranding.join(' ')}` };
	const firmware = nextFirmware(source, version, unitId);
	if (!firmware.ok) return firmware;
	const information = onboardingInformation({
		image: firmware.image,
		configuration: rendering.text,
		preScript: rendering.beside.before,
		postScript: rendering.beside.after
	});
	const served = {
		rendering: rendering.text,
		revisionId: source.revision!.id,
		targetVersion: source.targetVersion,
		checks: rendering.beside.checks
	};
	return { ok: true, information, served };
}

/** The image that a unit gets now: of its target, or of the next version on its way there. */
function nextFirmware(
	{ targetVersion: target, model, images }: RenderingSource,
	version: string | undefined,
	unitId: string
): { readonly ok: true; readonly image: Onboarding['image'] } | Extract<Prepared, { ok: false }> {
	if (target === null || !model) return { ok: true, image: null };
	// All of the way is looked at, for a unit not to be left half-way; one that says nothing of itself may run anything
	const way = wayTo(version === undefined ? [] : model.versions, images, model.room, version ?? '', target);
	if (!way.ok) return { ok: false, words: way.why };
	const next = way.path[0] ?? target;
	const image = images.get(next);
	// What it runs already needs no image
	if (!image || image.withdrawn !== null) return { ok: true, image: null };
	return {
		ok: true,
		image: {
			osName: model.firmwareLine,
			version: next,
			uri: imageAddress(unitId, model.firmwareLine, next),
			sha256: hexString(image.sha256)
		}
	};
}

const describe = (asking: Asking): string =>
	[asking['hw-model'], asking['os-name'], asking['os-version']].filter(Boolean).join(' · ');
