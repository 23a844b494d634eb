export { judged, startProofs } from './prove';
export { answerTrials, askSchema, tryText, tryUnit } from './trial';
export { readRunning } from './running';
