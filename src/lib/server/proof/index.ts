export { startProofs } from './prove';
export { readRunning } from './running';
