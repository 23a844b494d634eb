import type ssh2 from 'ssh2';
import type { Changes } from './configuration/changes';
import type { Images } from './images';
import { markedUp, MARKUP, NotUnderstood, type Statement } from './configuration/configuration';

/** A NETCONF server (RFC 6241, 6242) as small as a switch has one: it reads, and refuses what it cannot do. */
const BASE = 'urn:ietf:params:xml:ns:netconf:base:1.0';
const END = ']]>]]>';
let sessions = 0;

/** What it is asked for: its running configuration, or how it is. */
export interface NetconfDevice {
	readonly configuration: () => string;
	readonly state: () => string;
	readonly changes: Changes;
	readonly images: Images;
	/** Restarts it, once it has answered. */
	readonly restart: () => void;
}
/** Who holds the lock of a unit's candidate. */
const locks = new WeakMap<Changes, number>();

export function serveNetconf(channel: ssh2.ServerChannel, device: () => NetconfDevice): void {
	const session = ++sessions;
	let chunked = false;
	let buffer = '';
	const send = (message: string) => {
		const octets = Buffer.from(message);
		channel.write(
			chunked
				? Buffer.concat([Buffer.from(`\n#${octets.length}\n`), octets, Buffer.from('\n##\n')])
				: Buffer.concat([octets, Buffer.from(END)])
		);
	};
	send(
		`<?xml version="1.0" encoding="UTF-8"?><hello xmlns="${BASE}"><capabilities>` +
			[
				'base:1.0',
				'base:1.1',
				'capability:candidate:1.0',
				'capability:confirmed-commit:1.1',
				'capability:validate:1.1'
			]
				.map((one) => `<capability>urn:ietf:params:netconf:${one}</capability>`)
				.join('') +
			`</capabilities><session-id>${session}</session-id></hello>`
	);
	/** The next whole message, or null. Texts here are kept as octets, one a character. */
	const next = (): string | null => {
		if (!chunked) {
			const at = buffer.indexOf(END);
			if (at < 0) return null;
			const message = buffer.slice(0, at);
			buffer = buffer.slice(at + END.length);
			return message;
		}
		let [at, message] = [0, ''];
		for (;;) {
			const head = /^\n#(\d+|#)\n/.exec(buffer.slice(at, at + 16));
			if (!head) return null;
			at += head[0].length;
			if (head[1] === '#') {
				buffer = buffer.slice(at);
				return message;
			}
			const length = Number(head[1]);
			if (buffer.length < at + length) return null;
			message += buffer.slice(at, at + length);
			at += length;
		}
	};
	channel.on('data', (octets: Buffer) => {
		buffer += octets.toString('latin1');
		for (let message = next(); message !== null; message = next())
			answer(Buffer.from(message, 'latin1').toString());
	});

	function answer(message: string): void {
		let said: Statement[];
		try {
			said = MARKUP.read(message);
		} catch (error) {
			// Broken framing is answered with silence
			if (error instanceof NotUnderstood) return;
			throw error;
		}
		const [root] = said;
		if (root?.word === 'hello') {
			chunked = message.includes('urn:ietf:params:netconf:base:1.1');
			return;
		}
		const id = /message-id\s*=\s*["']([^"']*)["']/.exec(message)?.[1] ?? '';
		const reply = (inside: string) =>
			send(`<nc:rpc-reply xmlns:nc="${BASE}" message-id="${markedUp(id)}">${inside}</nc:rpc-reply>`);
		const [operation] = root?.inside ?? [];
		const outcome = operation ? obey(operation) : refusal('missing-element', 'no operation');
		reply(outcome ?? '<nc:ok/>');
		if (operation?.word === 'close-session') channel.end();
	}

	/** What an operation gives, or nothing where it was done. */
	function obey({ word, inside }: Statement): string | null {
		const { configuration, state, changes, images, restart } = device();
		const given = (name: string) => inside.find((one) => one.word === name);
		const target = given('target')?.inside[0]?.word;
		const isLocked = locks.has(changes) && locks.get(changes) !== session;
		switch (word) {
			case 'get-config':
				return given('source')?.inside[0]?.word === 'running'
					? `<nc:data>${configuration()}</nc:data>`
					: refusal('invalid-value', 'only running is read');
			case 'get':
				return `<nc:data>${state()}</nc:data>`;
			case 'lock':
				if (target !== 'candidate') return refusal('invalid-value', 'only the candidate is locked');
				if (isLocked) return refusal('lock-denied', 'another session holds it');
				if (changes.candidate !== null) return refusal('lock-denied', 'the candidate holds changes');
				locks.set(changes, session);
				return null;
			case 'unlock':
				if (locks.get(changes) !== session) return refusal('operation-failed', 'this session holds no lock');
				release(changes);
				return null;
			case 'edit-config': {
				if (isLocked) return refusal('in-use', 'another session holds the candidate');
				if (target !== 'candidate' || given('default-operation')?.value !== 'replace')
					return refusal('operation-not-supported', 'a configuration is replaced in the candidate');
				const problem = changes.load(MARKUP.print(given('config')?.inside ?? []));
				return problem && refusal('invalid-value', problem);
			}
			case 'validate':
				return changes.candidate === null ? refusal('operation-failed', 'nothing was changed') : null;
			case 'discard-changes':
				changes.discard();
				return null;
			case 'commit':
				return commit(changes, given);
			case 'cancel-commit':
				if (!changes.isPendingFor(given('persist-id')?.value ?? null))
					return refusal('invalid-value', 'no such commit waits');
				changes.back();
				return null;
			case 'system-restart':
				restart();
				return null;
			case 'fetch-release':
				return failed(
					images.fetch(
						given('address')?.value ?? '',
						given('release')?.value ?? '',
						given('hash')?.value ?? ''
					)
				);
			case 'start-release':
				return failed(images.install());
			case 'forget-release':
				images.forget();
				return null;
			case 'close-session':
				return null;
			default:
				return refusal('operation-not-supported', `${word} is not for this switch`);
		}
	}

	function commit(changes: Changes, given: (name: string) => Statement | undefined): string | null {
		if (given('confirmed')) {
			const seconds = Number(given('confirm-timeout')?.value ?? 600);
			const problem = changes.commit(seconds, given('persist')?.value ?? null);
			return problem && refusal(changes.isPending ? 'in-use' : 'operation-failed', problem);
		}
		if (!changes.isPendingFor(given('persist-id')?.value ?? null))
			return refusal('invalid-value', 'no such commit waits');
		const problem = changes.keep();
		return problem && refusal('operation-failed', problem);
	}

	/** The lock is a session's; a candidate outlives it. */
	function release(changes: Changes): void {
		if (locks.get(changes) === session) locks.delete(changes);
	}
	channel.on('close', () => {
		const { changes } = device();
		release(changes);
		// Without a name the timed commit is the session's, too
		if (changes.isPending && changes.isPendingFor(null)) changes.back();
	});
}

const failed = (problem: string | null): string | null => problem && refusal('operation-failed', problem);

const refusal = (tag: string, words: string): string =>
	`<nc:rpc-error><nc:error-type>protocol</nc:error-type><nc:error-tag>${tag}</nc:error-tag>` +
	`<nc:error-severity>error</nc:error-severity><nc:error-message xml:lang="en">${markedUp(words)}</nc:error-message></nc:rpc-error>`;
