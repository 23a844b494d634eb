import { readdirSync, readFileSync } from 'node:fs';

/** proc(5): utime and stime, of a process and of the children that it has waited for, in hundredths of a second. */
const [PARENT, OWN, CHILDREN] = [1, 11, 13];
const statOf = (pid: number): readonly number[] =>
	readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]!.split(' ').map(Number);

/** User and system time of a process, in seconds. */
export function processorSeconds(pid: number): number {
	const stat = statOf(pid);
	return (stat[OWN]! + stat[OWN + 1]!) / 100;
}

/** The same of PostgreSQL: of the postmaster that one of its processes came from, and of all that it ever began. */
export function databaseSeconds(backend: number): number {
	const postmaster = statOf(backend)[PARENT]!;
	const ended = statOf(postmaster);
	let seconds = processorSeconds(postmaster) + (ended[CHILDREN]! + ended[CHILDREN + 1]!) / 100;
	for (const name of readdirSync('/proc'))
		try {
			if (/^\d+$/.test(name) && statOf(Number(name))[PARENT] === postmaster)
				seconds += processorSeconds(Number(name));
		} catch {
			// It has ended meanwhile
		}
	return seconds;
}
