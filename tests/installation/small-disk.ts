import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const run = (program: string, ...parameters: string[]): boolean =>
	spawnSync(program, parameters, { stdio: 'ignore' }).status === 0;

/** A disk of its own, in a file, for an installation whose disk is to be full; only root may mount one. */
export class SmallDisk {
	/** Something on it. */
	readonly folder: string;

	private constructor(
		private readonly mountedAt: string,
		private readonly image: string,
		private readonly megabytes: number
	) {
		this.folder = join(mountedAt, 'here');
	}

	/** Null where this user may not, or this machine cannot. */
	static mount(megabytes: number): SmallDisk | null {
		const mountedAt = mkdtempSync(join(tmpdir(), 'limen-disk-'));
		const image = `${mountedAt}.image`;
		const isThere =
			run('truncate', '--size', `${megabytes}M`, image) &&
			// Nothing is reserved for root: the database runs as somebody else
			run('mkfs.ext4', '-q', '-m', '0', image) &&
			run('mount', '-o', 'loop', image, mountedAt);
		const disk = new SmallDisk(mountedAt, image, megabytes);
		if (!isThere) {
			disk.remove();
			return null;
		}
		mkdirSync(disk.folder);
		for (const path of [mountedAt, disk.folder]) chmodSync(path, 0o755);
		return disk;
	}

	/** Leaves not a block of it: what asks for more than there is gets all of that. */
	fill(): void {
		run('fallocate', '--length', `${this.megabytes}M`, this.#ballast);
	}
	makeRoom(): void {
		rmSync(this.#ballast, { force: true });
	}
	get #ballast(): string {
		return join(this.mountedAt, 'ballast');
	}

	remove(): void {
		run('umount', '--lazy', this.mountedAt);
		for (const path of [this.mountedAt, this.image]) rmSync(path, { recursive: true, force: true });
	}
}
