import ssh2 from 'ssh2';
import { callHomeKey } from '../../src/lib/server/keys';
import { subscribe, type Change, type Topic } from '../../src/lib/server/live';
import { currentSettings } from '../../src/lib/server/settings';
import { dialHome, newHostKey, type Answering } from '../../standins/units/home';
import type { Home } from '../../standins/units/makers';
import { boundUnit, invoke, report, runOf, unwalled } from './making';

/** Another position beside one, without a unit: so its site is not complete, and is not proven by itself. */
const alsoOpen = (positionId: string) =>
	unwalled().raw(
		`insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
		select gen_random_uuid(), site_id, customer_id, 'ap-not-yet', profile.role_id, profile.id, '{}'
		from position, profile where position.id = ? and profile.name = 'Indoor access point'`,
		[positionId]
	);

/** The public half of such a host key, in base64 (RFC 8709). */
export function publicOf(hostKey: string): string {
	const parsed = ssh2.utils.parseKey(hostKey);
	if (parsed instanceof Error) throw parsed;
	return (Array.isArray(parsed) ? parsed[0] : parsed).getPublicSSH().toString('base64');
}

/** A unit that has been through its bootstrap, with a host key of its own and the text it was given. */
export async function readyToDial(
	role: 'gateway' | 'router' | 'access-point' = 'gateway',
	{ customer, positionId }: { readonly customer?: string; readonly positionId?: string } = {}
) {
	const unit = await boundUnit(role, customer, positionId);
	await alsoOpen(unit.positionId);
	const hostKey = newHostKey();
	const data = publicOf(hostKey);
	await invoke('get-bootstrapping-data', unit);
	await report(unit, 'bootstrap-complete', {
		'ssh-host-keys': { 'ssh-host-key': [{ algorithm: 'ssh-ed25519', 'key-data': data }] }
	});
	return { ...unit, hostKey, given: (await runOf(unit.runId)).rendering as string };
}

/** What a router answers to the commands of its maker. */
export const answeringAsRouter =
	({ serial, given }: { serial: string; given: string }) =>
	(command: string) =>
		command === 'print chassis'
			? `chassis: ${serial}\n`
			: command === 'print release'
				? 'release: 4.2.1\n'
				: command === 'print configuration running'
					? given
					: command === 'print reach 192.0.2.53'
						? '192.0.2.53 answers, 10 of 10, 9 ms\n'
						: null;

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
	{
		port = currentSettings().LIMEN_CALL_HOME_PORT,
		key = callHomeKey().public,
		accounts = [],
		onLogin = () => {}
	}: {
		readonly port?: number;
		readonly key?: string;
		readonly accounts?: Home['accounts'];
		readonly onLogin?: () => void;
	} = {}
): { readonly end: () => Promise<void>; readonly ended: Promise<void> } {
	const life = new AbortController();
	const home = { host: '127.0.0.1', port, user: 'limen', key, accounts };
	const ended = dialHome(home, hostKey, answer, onLogin, life.signal);
	return {
		ended,
		end: () => {
			life.abort();
			return ended;
		}
	};
}

/**
 * Resolves once `holds` does; it is asked now, and whenever something of the topics changes. What changes while it is
 * being asked is asked about once more afterwards: a flood of changes is no flood of questions.
 */
export async function onChange(topics: readonly Topic[], holds: () => Promise<boolean>): Promise<void> {
	let stop = () => {};
	let isAsking = false;
	let again = false;
	const changed = new Promise<void>((resolve, reject) => {
		const look = async (): Promise<void> => {
			again = true;
			if (isAsking) return;
			isAsking = true;
			try {
				while (again) {
					again = false;
					if (await holds()) return resolve();
				}
			} catch (error) {
				reject(error as Error);
			} finally {
				isAsking = false;
			}
		};
		stop = subscribe(
			({ topic }: Change) => void (topics.includes(topic) && void look()),
			() => true
		);
		void look();
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
