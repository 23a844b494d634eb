import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { buildSync } from 'esbuild';
import { Problem, say } from './problem';

const SOURCES = [
	'src',
	'command/serve.ts',
	'command/many.ts',
	'command/running',
	'static',
	'svelte.config.js',
	'vite.config.ts',
	'package-lock.json'
];
const STAMP = 'build/.made-of';

/** Builds the application when its sources are not those it was last built from. */
export async function build(): Promise<void> {
	const made = fingerprint();
	if (existsSync(STAMP) && readFileSync(STAMP, 'utf8') === made) return;
	say('Building the application …');
	const vite = spawn('npx', ['--no-install', 'vite', 'build', '--logLevel', 'warn']);
	let said = '';
	for (const stream of [vite.stdout, vite.stderr])
		stream.setEncoding('utf8').on('data', (text: string) => (said += text));
	const [status] = (await once(vite, 'close')) as [number | null];
	if (status !== 0) throw new Problem(`The application could not be built:\n${said}`);
	buildPrograms();
	writeFileSync(STAMP, made);
}

/** The process itself and its threads as plain JavaScript: no loader stands beside the application. */
export function buildPrograms(): void {
	buildSync({
		entryPoints: {
			serve: 'command/serve.ts',
			many: 'command/many.ts',
			worker: 'src/lib/server/threads/worker.ts'
		},
		outdir: 'build',
		bundle: true,
		packages: 'external',
		platform: 'node',
		format: 'esm'
	});
}

function fingerprint(): string {
	const hash = createHash('sha256');
	const add = (path: string): void => {
		if (!existsSync(path)) return;
		if (statSync(path).isDirectory()) for (const name of readdirSync(path).sort()) add(join(path, name));
		else hash.update(path).update(readFileSync(path));
	};
	SOURCES.forEach(add);
	return hash.digest('hex');
}
