import ssh2 from 'ssh2';
import { callHomeKey } from '../../src/lib/server/keys';
import { subscribe, type Change, type Topic } from '../../src/lib/server/live';
import { currentSettings } from '../../src/lib/server/settings';
import { dialHome, newHostKey, type Answering } from '../../standins/units/home';
import { boundUnit, invoke, report, runOf } from './making';

/** A unit that has been through its bootstrap, with a host key of its own and the text it was given. */
export async function readyToDial() {
	const unit = await boundUnit();
	const hostKey = newHostKey();
	const parsed = ssh2.utils.parseKey(hostKey);
	if (parsed instanceof Error) throw parsed;
	const data = (Array.isArray(parsed) ? parsed[0] : parsed).getPublicSSH().toString('base64');
	await invoke('get-bootstrapping-data', unit);
	await report(unit, 'bootstrap-complete', {
		'ssh-host-keys': { 'ssh-host-key': [{ algorithm: 'ssh-ed25519', 'key-data': data }] }
	});
	return { ...unit, hostKey, given: (await runOf(unit.runId)).rendering as string };
}

/** What such a unit answers to the commands of its maker. */
export const answering =
	({ serial, given }: { serial: string; given: string }, version = '7.0.3', reached = true) =>
	(command: string) =>
		command === 'tell chassis'
			? `serial number ${serial};\n`
			: command === 'tell release'
				? `running release ${version};\n`
				: command === 'tell configuration'
					? given
					: command === 'tell reach 192.0.2.53'
						? `reach 192.0.2.53 ${reached ? 'yes' : 'no'};\n`
						: null;

export type Dialling = Awaited<ReturnType<typeof readyToDial>>;
type Answer = Exclude<Answering, { readonly netconf: unknown }>;

/** Dials home and stays; `end` hangs up, `ended` is when the connection is over. */
export function dial(
	{ hostKey }: { readonly hostKey: string },
	answer: Answer,
	{ port = currentSettings().LIMEN_CALL_HOME_PORT, key = callHomeKey().public, onLogin = () => {} } = {}
): { readonly end: () => Promise<void>; readonly ended: Promise<void> } {
	const life = new AbortController();
	const home = { host: '127.0.0.1', port, user: 'limen', key };
	const ended = dialHome(home, hostKey, answer, onLogin, life.signal);
	return {
		ended,
		end: () => {
			life.abort();
			return ended;
		}
	};
}

/** Resolves once `holds` does; it is asked now, and whenever something of the topics changes. */
export async function onChange(topics: readonly Topic[], holds: () => Promise<boolean>): Promise<void> {
	let stop = () => {};
	const changed = new Promise<void>((resolve, reject) => {
		const look = () => holds().then((yes) => yes && resolve(), reject);
		stop = subscribe(
			({ topic }: Change) => void (topics.includes(topic) && look()),
			() => true
		);
		look();
	});
	await changed.finally(() => stop());
}

/** Dials, and hangs up once the run has ended. */
export async function dialUntilEnded(unit: { readonly hostKey: string }, runId: string, answer: Answer) {
	const call = dial(unit, answer);
	await onChange(['runs'], async () => (await runOf(runId)).outcome !== 'open');
	await call.end();
	return runOf(runId);
}
