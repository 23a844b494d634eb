import { log } from '../../../src/lib/server/log';

/** Run by itself: logs, and when it is told to, logs twice, so that something may still wait to be written, and ends with 3. */
log.error('ready');
process.stdin.once('data', () => {
	for (const word of ['one', 'the last']) log.error(word);
	process.exit(3);
});
