import { compareConfigs, type ConfigDifference, type TwoConfigs } from '../config';
import { counted } from '../text';

export interface ProofInput extends TwoConfigs {
	/** null when the profile names no firmware target. */
	readonly targetVersion: string | null;
	readonly runningVersion: string;
}

export interface ProofResult {
	readonly holds: boolean;
	readonly versionHolds: boolean;
	readonly differences: readonly ConfigDifference[];
	/** Why it does not hold, in one or more sentences; null when it does. */
	readonly reason: string | null;
}

/**
 * Whether a unit is what it should be: the right firmware, and running equals intended.
 * A running configuration that cannot be read does not hold.
 */
export function judgeProof(input: ProofInput): ProofResult {
	const versionHolds = input.targetVersion === null || input.targetVersion === input.runningVersion;
	const reasons: string[] = [];
	if (!versionHolds) reasons.push(`It runs version ${input.runningVersion}, not ${input.targetVersion}.`);
	const compared = compareConfigs(input);
	if (!compared.ok) reasons.push(...compared.unreadable);
	const differences = compared.ok ? compared.differences : [];
	if (differences.length > 0)
		reasons.push(`The running configuration differs in ${counted(differences.length, 'place')}.`);
	return { holds: reasons.length === 0, versionHolds, differences, reason: reasons.join(' ') || null };
}
