import { patternOf } from '../../../core/pattern';
import { plainSerial } from '../../../core/trust';
import { LRUCache } from 'lru-cache';
import { subscribe } from '../live';
import { BOOTSTRAP, database, grouped } from '../database';
import { currentPack } from '../packs';
import { deviceAuthorities } from './authorities';
import type { Shown } from './shown';

/** Who a device is by the certificate that it showed. */
export interface Certified {
	readonly serial: string;
	/** The makers who may have signed for it; a serial number is unique within each. */
	readonly makerIds: readonly string[];
	/** It has ended, or its maker has revoked it, or who stands above it. */
	readonly isSpent: boolean;
}

/** Judged before, until a pack or a revocation list is loaded: a unit that comes online shows its certificate at each step. */
const judged = new LRUCache<string, { readonly certified: Certified | null }>({ max: 5_000 });
let loaded = 0;
let stop: (() => void) | undefined;

export async function judge(shown: Shown): Promise<Certified | null> {
	stop ??= subscribe(
		({ topic }) => {
			if (topic !== 'packs') return;
			loaded++;
			judged.clear();
		},
		() => true
	);
	// What a stranger shows can be long, and is always something new
	if (shown.problem !== null) return judgeAnew(shown);
	const key = JSON.stringify(shown);
	const known = judged.get(key);
	if (known) return known.certified;
	const before = loaded;
	const certified = await judgeAnew(shown);
	// What was loaded meanwhile may say otherwise
	if (before === loaded) judged.set(key, { certified });
	return certified;
}

/**
 * What a certificate that was shown says, once one of a maker's authorities stands above it. Null for every other: of
 * somebody unknown, and without a serial number. Runs as BOOTSTRAP.
 */
async function judgeAnew({ subjectSerial, problem, chain }: Shown): Promise<Certified | null> {
	const hasEnded = problem === 'CERT_HAS_EXPIRED';
	if (problem !== null && !hasEnded) return null;
	const above = new Set(chain.map(({ fingerprint }) => fingerprint));
	const makerIds = [
		...new Set(
			(await deviceAuthorities()).flatMap(({ makerId, fingerprint }) =>
				above.has(fingerprint) ? [makerId] : []
			)
		)
	];
	const [makerId] = makerIds;
	if (makerId === undefined) return null;
	const rule = (await currentPack(makerId))?.devices?.serial;
	const serial = rule === undefined ? subjectSerial : (patternOf(rule).first(subjectSerial)?.serial ?? '');
	if (!/^[\x21-\x7e]{1,64}$/.test(serial)) return null;
	const revoked = await Promise.all(
		makerIds.flatMap((maker) =>
			chain.map((one) => isRevoked({ maker, issuer: one.issuer, serial: plainSerial(one.serial) }))
		)
	);
	return { serial, makerIds, isSpent: hasEnded || revoked.includes(true) };
}

const isRevoked = grouped<
	{ readonly maker: string; readonly issuer: string; readonly serial: string },
	boolean
>(BOOTSTRAP, async (asked) => {
	const { rows } = await database().raw(
		`select exists (
			select from revoked_certificate r where r.maker_id = asked.maker and r.issuer = asked.issuer and r.serial = asked.serial
		) as revoked
		from rows from (jsonb_to_recordset(?::jsonb) as (maker text, issuer text, serial text)) with ordinality as asked(maker, issuer, serial, place)
		order by place`,
		[JSON.stringify(asked)]
	);
	return (rows as { revoked: boolean }[]).map(({ revoked }) => revoked);
});
