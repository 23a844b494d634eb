export { judged } from './judging';
export { startProofs } from './prove';
export { answerTrials, askSchema, tryText, tryUnit } from './trial';
export { readRunning } from './running';
export { proveAfterSend, proveWhatIsDue } from './overseeing';
export { givenLimits, limitsFormSchema, saveLimits } from './limits';
export { acceptCabling, cablingFound, type FoundCabling } from './cabling';
export { checkAgain, proveSite } from './sites';
export {
	failedProofs,
	lastProof,
	proofSummary,
	type ProofSummary,
	type ShownCheck,
	type ShownProof
} from './store';
export { proofPlans } from './plan';
