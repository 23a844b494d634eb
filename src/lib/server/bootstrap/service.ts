import { maskSecrets } from '../../../core/profile';
import { conveyOnboarding, hexString, INPUT, type ReportProgress } from '../../../core/bootstrap';
import { BOOTSTRAP, database, grouped, isRefusal } from '../database';
import { record, type Happening } from '../onboarding/record';
import { nextRun } from '../onboarding/runs';
import {
	imageUrl,
	renderingSources,
	renderPosition,
	strandingAt,
	type RenderingSource
} from '../profile/renderings';
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
 * what was served. Returns null when there is nothing for it now: its run has failed and waits for a
 * person, or what it should get cannot be computed (then the run fails and says why).
 */
export async function bootstrappingData(
	unit: ExpectedUnit,
	asking: Asking,
	serial: string,
	address: string
): Promise<string | null> {
	if (unit.outcome === 'failed') {
		await noteCaller({ serial, reason: 'held', address });
		return null;
	}
	const runId = unit.outcome === 'open' ? unit.runId : await beginAgain(unit);
	const source = await sources(unit.positionId);
	const prepared = source ? prepare(source) : { ok: false as const, words: 'The position is gone.' };
	const version = asking['os-version'];
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
	const words = maskSecrets(plainText(report.message ?? ''));
	const hostKey = report['ssh-host-keys']?.['ssh-host-key']?.[0];
	const said: Happening = {
		runId: unit.runId,
		event: { kind: 'report', at: Date.now(), type: report['progress-type'], words },
		words
	};
	if (!hostKey) return void (await record(said));
	try {
		await record({ ...said, facts: { hostKey: { algorithm: hostKey.algorithm, key: hostKey['key-data'] } } });
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

function prepare(source: RenderingSource): Prepared {
	const rendering = renderPosition(source);
	if (!rendering.ok) return { ok: false, words: rendering.problems.map(({ message }) => message).join(' ') };
	const stranding = source.overrideReason === null ? strandingAt(source, rendering) : [];
	if (stranding.length > 0)
		return { ok: false, words: `It was not sent, for it would strand the unit. ${stranding.join(' ')}` };
	if (source.targetVersion !== null && source.image === null)
		return { ok: false, words: `There is no image of version ${source.targetVersion} for this model.` };
	const conveyed = conveyOnboarding({
		image: source.image && {
			osName: source.image.line,
			version: source.image.version,
			uri: imageUrl(source.image.line, source.image.version),
			sha256: hexString(source.image.sha256)
		},
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

/** A unit that was online and asks again (it was set back, say) begins a new run at its position. */
async function beginAgain(unit: ExpectedUnit): Promise<string> {
	return database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select run.* from binding join run on run.id = binding.run_id
			where binding.position_id = ? and binding.unit_id = ? for update of binding`,
			[unit.positionId, unit.unitId]
		);
		const [last] = rows;
		// Unbound meanwhile, or another call of the same unit was first
		if (!last || last.outcome === 'open') return last?.id ?? unit.runId;
		return nextRun(trx, last);
	});
}

const describe = (asking: Asking): string =>
	plainText([asking['hw-model'], asking['os-name'], asking['os-version']].filter(Boolean).join(' · '));

/** A unit's words as they are kept: PostgreSQL's text holds no NUL, and other control characters only mislead. */
export const plainText = (words: string): string =>
	// eslint-disable-next-line no-control-regex -- control characters are just what is replaced
	words.replace(/[\x00-\x08\x0b-\x1f\x7f\u202a-\u202e\u2066-\u2069]/g, '\uFFFD').toWellFormed();
