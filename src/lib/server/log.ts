import pino from 'pino';
import { currentSettings } from './settings';

/**
 * The process's log: one JSON object a line on standard output. Never give it secrets. Each line is written at once: what were
 * left for the end of a process whose reader is gone would be tried for ever, and the process would hold all that it has.
 */
export const log = pino(
	{ level: currentSettings().LIMEN_LOG_LEVEL },
	pino.destination({ dest: 1, sync: true })
);
