import pino from 'pino';
import { currentSettings } from './settings';

/** The process's log: one JSON object a line on standard output. Never give it secrets. */
export const log = pino({ level: currentSettings().LIMEN_LOG_LEVEL });
