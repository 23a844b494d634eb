import { spawn, type ChildProcess } from 'node:child_process';
import { Problem } from '../problem';
import { endWhenSilent } from './beat';

/** The processes that this one started, and only those. */
const children = new Map<ChildProcess, string>();
const STOP_MS = 8_000;
/** A question that gets no answer for so long is asked again; asked too often, it adds to the load it waits for. */
const ANSWER_MS = 10_000;

/** Starts a program of ours; `lines` sees what it prints. In a group of its own, so that Ctrl-C reaches it through us alone. */
export function startProgram(
	name: string,
	command: readonly string[],
	environment: NodeJS.ProcessEnv,
	lines: (text: string) => void
): ChildProcess {
	const child = spawn(command[0]!, command.slice(1), {
		// Our end of its standard input closes when we are killed; then it ends too
		env: { ...process.env, ...environment, LIMEN_ENDS_WITH_PARENT: 'yes' },
		stdio: ['pipe', 'pipe', 'pipe', 'ipc'],
		detached: true
	});
	children.set(child, name);
	endWhenSilent(name, child);
	child.stdout!.setEncoding('utf8').on('data', lines);
	child.stderr!.setEncoding('utf8').on('data', lines);
	child.once('exit', () => children.delete(child));
	return child;
}

/** A start beside thousands of units that call takes its time; a program that cannot start ends by itself. */
const PATIENCE_MS = 180_000;

/** Resolves when the address answers; rejects when the program ends first or too much time passes. */
export async function whenReady(
	child: ChildProcess,
	name: string,
	url: string,
	said: () => string,
	patience = PATIENCE_MS
): Promise<void> {
	const until = performance.now() + patience;
	while (performance.now() < until) {
		if (child.exitCode !== null || child.signalCode !== null)
			throw new Problem(`The ${name} ended while it started:\n${said()}`);
		const answered = await fetch(url, { signal: AbortSignal.timeout(ANSWER_MS) }).then(
			() => true,
			() => false
		);
		if (answered) return;
		// A poll of another process's port: there is nothing to wait on but time
		await new Promise((resolve) => setTimeout(resolve, 100));
	}
	throw new Problem(`The ${name} did not answer at ${url}:\n${said()}`);
}

/** Asks every child to end, and ends those that do not. */
export async function stopPrograms(): Promise<void> {
	await Promise.all(
		[...children.keys()].map(
			(child) =>
				new Promise<void>((resolve) => {
					const force = setTimeout(() => child.kill('SIGKILL'), STOP_MS);
					child.once('exit', () => {
						clearTimeout(force);
						resolve();
					});
					if (child.exitCode !== null || child.signalCode !== null || !child.kill('SIGTERM')) {
						clearTimeout(force);
						resolve();
					}
				})
		)
	);
}
