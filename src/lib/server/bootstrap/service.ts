import { maskSecrets } from '../../../core/profile';
import { wayTo } from '../../../core/firmware';
import { conveyOnboarding, hexString, INPUT, type ReportProgress } from '../../../core/bootstrap';
import { BOOTSTRAP, database, grouped, isRefusal } from '../database';
import { record, type Happening } from '../runs';
import { imageAddress } from '../firmware';
import { renderPosition, strandingAt, renderingSources, type RenderingSource } from '../profile';
import type { ExpectedUnit } from './authentication';
import { noteCaller } from '../door';

/** What a unit says of itself when it asks. */
export interface Asking {
	readonly 'hw-model'?: string | undefined;
	readonly 'os-name'?: string | undefined;
	readonly 'os-version'?: string | undefined;
}
export { INPUT };

const sources = grouped<string, RenderingSource | undefined>(BOOTSTRAP, async (positionIds) => {
	const found = await renderingSources(database(), positionIds);
	return positionIds.map((id) => found.get(id));
});

/**
 * What a unit is to become, as base64 of CMS, for a unit that `expectUnit` let in. Records the call and
 * what was served. Returns null when there is nothing for it now: its run has failed or is through, and only a
 * person lets it begin again (whoever has read a label must not get what an online unit runs); or what it
 * should get cannot be computed (then the run fails and says why).
 */
export async function bootstrappingData(
	unit: ExpectedUnit,
	asking: Asking,
	serial: string,
	address: string
): Promise<string | null> {
	if (unit.outcome !== 'open') {
		await noteCaller({ serial, reason: 'held', address });
		return null;
	}
	const { runId } = unit;
	const source = await sources(unit.positionId);
	const version = asking['os-version'];
	const prepared = source
		? prepare(source, version, unit.unitId)
		: { ok: false as const, words: 'The position is gone.' };
	const call: Happening = {
		runId,
		event: { kind: 'call', at: Date.now() },
		words: describe(asking),
		facts: { address, ...(version && { version }) },
		...(prepared.ok && { served: prepared.served })
	};
	await record(call);
	if (!prepared.ok) {
		await record({
			runId,
			event: { kind: 'withheld', at: Date.now(), words: prepared.words },
			words: prepared.words
		});
		return null;
	}
	return prepared.conveyed;
}

/** Records one progress report of a unit that `expectUnit` let in. Resolves when it is durable. */
export async function recordProgress(unit: ExpectedUnit, report: ReportProgress): Promise<void> {
	const words = maskSecrets(report.message ?? '');
	const hostKeys = report['ssh-host-keys']?.['ssh-host-key']?.map((one) => ({
		algorithm: one.algorithm,
		key: one['key-data']
	}));
	const said: Happening = {
		runId: unit.runId,
		event: { kind: 'report', at: Date.now(), type: report['progress-type'], words },
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

type Prepared =
	| { readonly ok: true; readonly conveyed: string; readonly served: NonNullable<Happening['served']> }
	| { readonly ok: false; readonly words: string };

/** `version`: the firmware that the unit runs, where it says so. */
function prepare(source: RenderingSource, version: string | undefined, unitId: string): Prepared {
	const rendering = renderPosition(source);
	if (!rendering.ok) return { ok: false, words: rendering.problems.map(({ message }) => message).join(' ') };
	const stranding = source.overrideReason === null ? strandingAt(source, rendering) : [];
	if (stranding.length > 0)
		return { ok: false, words: `It was not sent, for it would strand the unit. ${stranding.join(' ')}` };
	const firmware = nextFirmware(source, version, unitId);
	if (!firmware.ok) return firmware;
	const conveyed = conveyOnboarding({
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
	return { ok: true, conveyed, served };
}

/** The image that a unit gets now: of its target, or of the next version on its way there. */
function nextFirmware(
	{ targetVersion: target, model, images }: RenderingSource,
	version: string | undefined,
	unitId: string
):
	| { readonly ok: true; readonly image: Parameters<typeof conveyOnboarding>[0]['image'] }
	| Extract<Prepared, { ok: false }> {
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
