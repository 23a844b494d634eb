import { compareTrees, parseConfig, type ConfigDifference, type Dialect, type OrderedHeads } from '../config';

export interface ProofInput {
	readonly dialect: Dialect;
	readonly ordered: OrderedHeads;
	readonly intended: string;
	readonly running: string;
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
	const intended = parseConfig(input.intended, input.dialect);
	const running = parseConfig(input.running, input.dialect);
	let differences: ConfigDifference[] = [];
	if (!intended.ok) reasons.push(`The intended configuration cannot be read: ${at(intended.problems[0]!)}`);
	if (!running.ok) reasons.push(`The running configuration cannot be read: ${at(running.problems[0]!)}`);
	if (intended.ok && running.ok) {
		differences = compareTrees(intended.tree, running.tree, input.ordered);
		if (differences.length > 0)
			reasons.push(
				differences.length === 1
					? 'The running configuration differs in 1 place.'
					: `The running configuration differs in ${differences.length} places.`
			);
	}
	return { holds: reasons.length === 0, versionHolds, differences, reason: reasons.join(' ') || null };
}

const at = ({ line, message }: { line: number; message: string }) => `line ${line}: ${message}`;
