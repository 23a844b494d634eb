import { resolve } from 'node:path';
import { bringIn, LEAST_PASSPHRASE, takeOut } from '../src/lib/server/export';
import { currentSettings } from '../src/lib/server/settings';
import { migrate } from './cluster';
import { withCluster } from './running/keep';
import { Problem, say } from './problem';

/** Everything of a customer as one file, and back into an empty installation. */

/** By the environment: everybody on the machine can read a program's parameters. */
function passphrase(): string {
	const given = process.env.LIMEN_PASSPHRASE ?? '';
	if (given.length < LEAST_PASSPHRASE)
		throw new Problem(
			`Say in LIMEN_PASSPHRASE with what its secrets are locked: ${LEAST_PASSPHRASE} characters at least.`
		);
	return given;
}

/** Writes everything of a customer to a ZIP. Works while the application runs: it is of one moment. */
export async function exportCustomer([name, path]: readonly string[]): Promise<void> {
	if (!name || !path) throw new Problem('Say whose and where to: ./limen export CUSTOMER FILE');
	const word = passphrase();
	const act = await withCluster(currentSettings(), () => takeOut(name, resolve(path), word));
	if (!act.ok) throw new Problem(act.problem);
	const rows = act.done.files.reduce((sum, file) => sum + file.rows, 0);
	say(
		`Written to ${resolve(path)}: ${rows.toLocaleString('en')} rows of ${act.done.customer.name} in ${act.done.files.length} files. Its secrets are locked with the passphrase.`
	);
}

/** Brings such a file into an installation that has nothing yet. */
export async function importCustomer([path]: readonly string[]): Promise<void> {
	if (!path) throw new Problem('Say which: ./limen bring-in FILE');
	const word = passphrase();
	const settings = currentSettings();
	const act = await withCluster(settings, async () => {
		await migrate(settings);
		return bringIn(resolve(path), word);
	});
	if (!act.ok) throw new Problem(act.problem);
	say(
		`${act.done.customer.name} is here. Claim codes of units that were not online yet are given anew, firmware images are uploaded anew, and people come in when an administrator lets them.`
	);
}
