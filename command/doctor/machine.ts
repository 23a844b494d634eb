import { execFile } from 'node:child_process';
import { existsSync, readFileSync, statfsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { isServed, portIsFree } from '../running/ports';
import { roomAt } from '../../src/lib/server/room';
import { PORTS, publicUrl, type Settings } from '../../src/lib/server/settings';
import { watch, well, within, wordsOf, wrong, type Finding } from './finding';

const MB = 1024 * 1024;
/** With less room Limen does not start. */
export const LEAST_FREE_BYTES = 400 * MB;

/** Room where the keys, images and the private database are. */
export function disk(
	{ LIMEN_STATE_DIR: folder }: Pick<Settings, 'LIMEN_STATE_DIR'>,
	look = statfsSync
): Finding {
	if (!existsSync(folder))
		return wrong(
			'disk',
			`${folder} is not there.`,
			'Start Limen once, or set LIMEN_STATE_DIR to where it is.'
		);
	const { free, all, isScarce } = roomAt(folder, look);
	const megabytes = (octets: number) => `${Math.floor(octets / MB).toLocaleString('en')} MB`;
	const words = `${megabytes(free)} of ${megabytes(all)} are free at ${folder}.`;
	if (free < LEAST_FREE_BYTES)
		return wrong(
			'disk',
			words,
			`Make room: Limen does not start with less than ${LEAST_FREE_BYTES / MB} MB.`
		);
	return isScarce ? watch('disk', words, 'Make room before it is full.') : well('disk', words);
}

const KEYS = ['claim.key', 'secret.keys', 'ledger.key'];
/** The keys are there, and for nobody else to read. */
export function keys({ LIMEN_STATE_DIR: folder }: Settings): Finding {
	const missing = KEYS.filter((name) => !existsSync(join(folder, 'keys', name)));
	if (missing.length > 0)
		return wrong(
			'keys',
			`${missing.join(', ')} ${missing.length === 1 ? 'is' : 'are'} not in ${join(folder, 'keys')}.`,
			'Bring back the keys of this installation from a backup: without them claims and secrets cannot be read. A new installation makes its own at its first start.'
		);
	const open = KEYS.filter((name) => (statSync(join(folder, 'keys', name)).mode & 0o077) !== 0);
	return open.length > 0
		? wrong(
				'keys',
				`Others on this machine can read ${open.join(', ')}.`,
				`chmod 600 ${open.map((name) => join(folder, 'keys', name)).join(' ')}`
			)
		: well('keys', 'They are there, and nobody else can read them.');
}

const LEAST_FILES = 4_096;
/** Each unit that is connected is an open file. */
export function files(): Finding {
	const line =
		/^Max open files\s+(\d+|unlimited)/m.exec(readFileSync('/proc/self/limits', 'utf8'))?.[1] ?? 'unlimited';
	const limit = line === 'unlimited' ? Infinity : Number(line);
	return limit < LEAST_FILES
		? watch(
				'open files',
				`A process may have ${limit} files open; each connected unit is one.`,
				'Raise it: ulimit -n 65536, or LimitNOFILE in the unit file.'
			)
		: well('open files', `A process may have ${line} files open.`);
}

/** Whether this installation's application answers. */
export async function isUp(settings: Settings): Promise<boolean> {
	const local = `http://${settings.LIMEN_HOST === '0.0.0.0' ? '127.0.0.1' : settings.LIMEN_HOST}:${settings.LIMEN_PORT}`;
	return fetch(`${local}/healthz`, { signal: AbortSignal.timeout(5_000) }).then(
		(answer) => answer.ok,
		() => false
	);
}

/** That Limen answers where it should; or, where it does not run, that it could begin. */
export async function ports(settings: Settings, up: boolean): Promise<Finding[]> {
	const own = PORTS.filter((name) => !name.startsWith('LIMEN_YARD') && name !== 'LIMEN_DATABASE_PORT');
	const found: Finding[] = [
		up
			? well('application', `It answers at ${publicUrl(settings)}.`)
			: watch(
					'application',
					'It does not run here, or does not answer.',
					'Start it: ./limen serve, or systemctl start limen.'
				)
	];
	for (const name of own) {
		const port = settings[name] as number;
		if (port === 0) continue;
		if (up && !(await isServed(port, settings.LIMEN_HOST)))
			found.push(
				wrong(
					'ports',
					`Nobody listens on ${port} (${name}), though Limen runs.`,
					'Look into the log of Limen, and start it anew.'
				)
			);
		if (!up && !(await portIsFree(port, settings.LIMEN_HOST)))
			found.push(
				wrong(
					'ports',
					`Another program listens on ${port} (${name}).`,
					`Stop it (ss -ltnp 'sport = :${port}' names it), or set ${name} to another port.`
				)
			);
	}
	if (found.length === 1)
		found.push(well('ports', up ? 'All of them are listened on.' : 'All of them are free.'));
	return found;
}

const MOST_APART_MS = 5_000;
/** The clock, by what others say: machines outside, the database, and the system's own keeper of time. */
export async function clock(
	settings: Settings,
	databaseNow: Date | null,
	latest: Date | null
): Promise<Finding[]> {
	const found: Finding[] = [];
	const judge = (other: number, who: string) => {
		const apart = Date.now() - other;
		if (Math.abs(apart) > MOST_APART_MS)
			found.push(
				wrong(
					'clock',
					`It is ${Math.round(Math.abs(apart) / 1000).toLocaleString('en')} s ${apart > 0 ? 'ahead of' : 'behind'} that of ${who}.`,
					'Have it set by NTP (timedatectl set-ntp true, or chrony): certificates, windows and proofs go by it.'
				)
			);
	};
	if (databaseNow) judge(databaseNow.getTime(), 'the database');
	if (latest && latest.getTime() - Date.now() > MOST_APART_MS)
		found.push(
			wrong(
				'clock',
				`The records go on until ${latest.toISOString()}, which is not yet.`,
				'Set the clock right; it was ahead before, or is behind now.'
			)
		);
	for (const url of [settings.LIMEN_OIDC_ISSUER, ...settings.LIMEN_REGISTRIES.map((one) => one.url)]) {
		if (!url) continue;
		const told = await fetch(url, {
			method: 'HEAD',
			redirect: 'manual',
			signal: AbortSignal.timeout(5_000)
		}).then(
			(answer) => answer.headers.get('date'),
			() => null
		);
		if (told) judge(Date.parse(told), new URL(url).host);
	}
	const kept = await promisify(execFile)('timedatectl', ['show', '-p', 'NTPSynchronized', '--value'], {
		timeout: 5_000
	}).then(
		({ stdout }) => stdout.trim(),
		() => ''
	);
	if (kept === 'no' && found.length === 0)
		found.push(
			watch(
				'clock',
				'The system does not have it set by NTP.',
				'timedatectl set-ntp true, unless something else keeps it right.'
			)
		);
	return found.length > 0 ? found : [well('clock', 'It agrees with all that could be asked.')];
}

/** The mail server takes letters. */
export async function mail({ LIMEN_SMTP_URL }: Settings): Promise<Finding> {
	if (!LIMEN_SMTP_URL)
		return watch(
			'mail',
			'There is no mail server: letters wait.',
			'Set LIMEN_SMTP_URL: invitations, reports and alerts are letters.'
		);
	const { createTransport } = await import('nodemailer');
	const transport = createTransport(LIMEN_SMTP_URL, {
		connectionTimeout: 8_000,
		greetingTimeout: 8_000
	} as object);
	const host = new URL(LIMEN_SMTP_URL).host;
	try {
		await within(10_000, transport.verify());
		return well('mail', `${host} takes letters.`);
	} catch (error) {
		return wrong(
			'mail',
			`${host} takes no letters: ${wordsOf(error)}.`,
			'Look at the mail server and LIMEN_SMTP_URL. Letters wait and are tried again.'
		);
	} finally {
		transport.close();
	}
}

/** The firm's identity provider and the makers' registries answer. */
export async function outside({ LIMEN_OIDC_ISSUER, LIMEN_REGISTRIES }: Settings): Promise<Finding[]> {
	const answers = (url: string) => fetch(url, { redirect: 'manual', signal: AbortSignal.timeout(8_000) });
	const found: Finding[] = [];
	if (LIMEN_OIDC_ISSUER) {
		const url = `${LIMEN_OIDC_ISSUER.replace(/\/$/, '')}/.well-known/openid-configuration`;
		const problem = await answers(url)
			.then(async (answer) => {
				const told = (await answer.json()) as { issuer?: unknown };
				return answer.ok && told.issuer === LIMEN_OIDC_ISSUER ? null : 'it calls itself something else';
			})
			.catch(wordsOf);
		found.push(
			problem === null
				? well('identity provider', `${LIMEN_OIDC_ISSUER} answers.`)
				: wrong(
						'identity provider',
						`${LIMEN_OIDC_ISSUER} does not answer as one: ${problem}.`,
						'Look at it and at LIMEN_OIDC_ISSUER, which is its issuer to the letter. People with a password of their own still come in.'
					)
		);
	}
	for (const { makerId, url } of LIMEN_REGISTRIES) {
		const problem = await answers(url).then(() => null, wordsOf);
		found.push(
			problem === null
				? well('registries', `${makerId}’s answers.`)
				: wrong(
						'registries',
						`${makerId}’s does not answer at ${url}: ${problem}.`,
						'Look at LIMEN_REGISTRIES and at the way there. Claims wait and are asked for again.'
					)
		);
	}
	return found;
}
