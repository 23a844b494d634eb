import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { issue, type Signer } from '../../src/core/trust';

const YEARS = 30;
const DAY_MS = 24 * 3_600_000;

/** A maker's own authority for vouchers: a key that its root has signed for. Made once and kept, as its units were made to trust the root. */
export async function openAuthority(maker: string, file: string): Promise<Signer> {
	if (!existsSync(file)) {
		const [from, until] = [new Date(Date.now() - DAY_MS), new Date(Date.now() + YEARS * 365 * DAY_MS)];
		const root = await issue({ subject: `CN=${maker} root`, from, until, isAuthority: true });
		const own = await issue({ subject: `CN=${maker} vouchers`, from, until, isAuthority: false }, root);
		mkdirSync(dirname(file), { recursive: true });
		writeFileSync(`${file}.new`, [own.key, ...own.chain].join('\n'), { mode: 0o600 });
		renameSync(`${file}.new`, file);
	}
	return read(file);
}

/** A maker's authority for its units' certificates, whom its pack in the demo names: it ships with the yard. */
export const deviceAuthority = (maker: string): Signer =>
	read(fileURLToPath(new URL(`./authorities/${maker}-devices.pem`, import.meta.url)));

function read(file: string): Signer {
	const [key, ...chain] = readFileSync(file, 'utf8').match(/-----BEGIN [^]+?-----END [^-]+-----/g)!;
	return { key: key!, chain };
}
