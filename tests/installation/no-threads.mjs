// Loaded into a process before anything else: from when a file is there, each of the application's threads ends.
import { existsSync } from 'node:fs';
import { isMainThread } from 'node:worker_threads';

const look = () => existsSync(process.env.TESTS_END_THREADS) && process.exit();
if (!isMainThread && process.argv[1]?.endsWith('/worker.js')) {
	look();
	setInterval(look, 50).unref();
}
