import { judgeProof, type ProofInput, type ProofResult } from '../../../core/onboarding';
import { maskSecrets } from '../../../core/profile';
import { offMainThread, task } from '../threads';

/** Texts up to this are compared in less time than it takes to hand them to a thread. */
const SMALL = 16 * 1024;
const JUDGE_PROOF = task<ProofInput, ProofResult>('judgeProof');
/** Whether a unit is what it should be; long texts are worked beside the main thread. */
export const judged = async (input: ProofInput): Promise<ProofResult> =>
	input.intended.length + input.running.length <= SMALL
		? judgeProof(input)
		: offMainThread(JUDGE_PROOF, input);

const MOST_DESCRIBED = 8;

export const LONGEST_DESCRIBED = 18_000;
/**
 * What differs, line by line; without what follows a word for a secret, but with the other secrets of its position: who shows
 * it hides those and cuts it afterwards, or half a secret would stand at its end.
 */
export function describe({ reason, differences }: ProofResult): string {
	const lines = differences.slice(0, MOST_DESCRIBED).map(({ kind, path, intended, running, after }) => {
		const where = path.length > 0 ? `${path.join(' › ')}: ` : '';
		if (kind === 'missing') return `${where}“${intended}” is missing`;
		if (kind === 'extra') return `${where}“${running}” is there and should not be`;
		if (kind === 'order') return `${where}“${intended}” should come ${after ? `after “${after}”` : 'first'}`;
		return `${where}“${running}” should be “${intended}”`;
	});
	if (differences.length > MOST_DESCRIBED) lines.push(`and ${differences.length - MOST_DESCRIBED} more`);
	return maskSecrets([reason, ...lines].join('\n'));
}
