import { isIP } from 'node:net';
import { resolve } from 'node:path';
import * as v from 'valibot';

/** Every setting of Limen: an environment variable, checked once at start. Listed in the README. */
const port = (fallback: number) =>
	v.pipe(
		v.optional(v.string(), String(fallback)),
		v.regex(/^\d+$/, 'a port number'),
		v.transform(Number),
		v.minValue(0),
		v.maxValue(65_535)
	);
const count = (fallback: number, most: number) =>
	v.pipe(
		v.optional(v.string(), String(fallback)),
		v.regex(/^\d+$/, 'a whole number'),
		v.transform(Number),
		v.minValue(1),
		v.maxValue(most)
	);
const rate = (fallback: number) =>
	v.pipe(
		v.optional(v.string(), String(fallback)),
		v.regex(/^\d{1,8}$/, 'a whole number'),
		v.transform(Number)
	);
const hostName = (fallback: string) =>
	v.optional(v.pipe(v.string(), v.regex(/^[A-Za-z0-9.:_-]+$/, 'an address or host name')), fallback);

const REGISTRY = /^[a-z][a-z0-9-]*=https?:\/\/[^\s,]*[^\s,/]$/;

const isAddressOrRange = (text: string): boolean => {
	const [, address = '', length] = /^([0-9a-fA-F.:]+?)(?:\/(\d{1,3}))?$/.exec(text) ?? [];
	const family = isIP(address);
	return family !== 0 && (length === undefined || Number(length) <= (family === 4 ? 32 : 128));
};

const networks = () =>
	v.pipe(
		v.optional(v.string(), ''),
		v.transform((list) =>
			list
				.split(',')
				.map((one) => one.trim())
				.filter((one) => one !== '')
		),
		v.array(
			v.pipe(v.string(), v.check(isAddressOrRange, 'a list of addresses or ranges such as 192.0.2.0/24'))
		)
	);

const settingsSchema = v.object({
	LIMEN_HOST: hostName('127.0.0.1'),
	LIMEN_PORT: port(4080),
	LIMEN_PUBLIC_URL: v.optional(
		v.pipe(v.string(), v.url(), v.regex(/[^/]$/, 'an address without “/” at the end'))
	),
	LIMEN_CALL_HOME_PORT: port(4081),
	LIMEN_CALL_HOME_HOST: hostName('127.0.0.1'),
	LIMEN_NETCONF_PORT: port(4334),
	/** Where units say what happens to them: over UDP and TCP, and over TLS. */
	LIMEN_EVENTS_PORT: port(4087),
	LIMEN_EVENTS_TLS_PORT: port(4088),
	LIMEN_DIALS_A_MINUTE: count(60, 100_000),
	LIMEN_YARD_PORT: port(4082),
	LIMEN_YARD_PACE: v.pipe(
		v.optional(v.string(), '0.02'),
		v.regex(/^\d+(\.\d+)?$/, 'a number'),
		v.transform(Number)
	),
	LIMEN_BOOTSTRAP_PORT: port(4084),
	/** Where units are only told where to ask, and whom to trust there. */
	LIMEN_REDIRECT_PORT: port(4090),
	LIMEN_BOOTSTRAP_NAME: v.optional(v.pipe(v.string(), v.regex(/^[A-Za-z0-9.-]+$/, 'a host name'))),
	LIMEN_TLS_CERTIFICATE: v.optional(
		v.pipe(
			v.string(),
			v.transform((path) => resolve(path))
		)
	),
	LIMEN_TLS_KEY: v.optional(
		v.pipe(
			v.string(),
			v.transform((path) => resolve(path))
		)
	),
	LIMEN_METRICS_PORT: port(4086),
	/** Proxies in front of the application; of nobody else is it believed for whom they ask. */
	LIMEN_TRUSTED_PROXIES: networks(),
	/** The firm's own networks that may be asked by webhooks and connectors, whose addresses people type in. */
	LIMEN_OUTWARD_NETWORKS: networks(),
	/** Where files for connectors are put, each connector's into a folder of its own; else within the state's directory. */
	LIMEN_CONNECTOR_FOLDER: v.optional(
		v.pipe(
			v.string(),
			v.transform((path) => resolve(path))
		)
	),
	/** The firm's own identity provider (OpenID Connect): its issuer, and as whom Limen is known there. */
	LIMEN_OIDC_ISSUER: v.optional(v.pipe(v.string(), v.url('an address'), v.regex(/^https?:/, 'an address'))),
	LIMEN_OIDC_CLIENT_ID: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(300)), 'limen'),
	LIMEN_OIDC_CLIENT_SECRET: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(1000))),
	LIMEN_OIDC_SCOPES: v.optional(
		v.pipe(v.string(), v.regex(/^openid( [\x21\x23-\x5b\x5d-\x7e]+)*$/, 'scopes that begin with openid')),
		'openid profile email'
	),
	/** The claim that names somebody's groups. */
	LIMEN_OIDC_GROUPS_CLAIM: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(200)), 'groups'),
	LIMEN_SMTP_URL: v.optional(
		v.pipe(v.string(), v.regex(/^smtps?:\/\//, 'an address that begins with smtp:// or smtps://'))
	),
	LIMEN_MAIL_FROM: v.optional(v.string(), 'Limen <limen@sallowfield.example>'),
	/** Where the ledger's signed head is sent every day. */
	LIMEN_LEDGER_MAIL: v.optional(v.pipe(v.string(), v.email('an e-mail address'))),
	LIMEN_YARD_MAIL_PORT: port(4085),
	/** Where the demo's identity provider listens. */
	LIMEN_YARD_IDENTITY_PORT: port(4091),
	/** Where simulated units listen that are reached at an address. */
	LIMEN_YARD_SSH_PORT: port(4089),
	LIMEN_REGISTRIES: v.pipe(
		v.optional(v.string(), ''),
		v.transform((list) => list.split(',').filter((one) => one.trim() !== '')),
		v.array(
			v.pipe(v.string(), v.trim(), v.regex(REGISTRY, 'a list such as maker=https://registry.example/v1'))
		),
		v.transform((list) =>
			list.map((one) => {
				const at = one.indexOf('=');
				return { makerId: one.slice(0, at), url: one.slice(at + 1) };
			})
		)
	),
	/** Whether a profile or part is released by somebody else than who wrote it. */
	LIMEN_RELEASE_BY_TWO: v.pipe(
		v.optional(v.picklist(['yes', 'no'], 'yes or no'), 'no'),
		v.transform((answer) => answer === 'yes')
	),
	/** So many seconds a check that may still come to hold is waited for, at most. */
	LIMEN_PROOF_PATIENCE: count(60, 600),
	/** So often, in seconds, each place is asked whom it reaches: ten others at a time. */
	LIMEN_REACH_EVERY: count(60, 86_400),
	/** Whether units are asked by themselves how they do, and what a person should see is looked for. */
	LIMEN_WATCH: v.pipe(
		v.optional(v.picklist(['yes', 'no'], 'yes or no'), 'yes'),
		v.transform((answer) => answer === 'yes')
	),
	/** For how many days it is kept how units do: each reading, each hour, each day. */
	LIMEN_HEALTH_READINGS: count(2, 60),
	LIMEN_HEALTH_HOURS: count(30, 400),
	LIMEN_HEALTH_DAYS: count(1096, 4000),
	/** How fast images go to units, in KiB a second: to each site, and from this process in all; 0 for as fast as they go. */
	LIMEN_IMAGE_SITE_RATE: rate(4096),
	LIMEN_IMAGE_RATE: rate(65_536),
	LIMEN_REGISTRY_ACCOUNT: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(100)), 'limen'),
	/** The firm's name and telephone, as the cards for people on site say it. */
	LIMEN_FIRM: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
	LIMEN_HELP_LINE: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(60)), ''),
	LIMEN_STATE_DIR: v.pipe(
		v.optional(v.string(), '.limen'),
		v.transform((path) => resolve(path))
	),
	LIMEN_DATABASE_URL: v.optional(
		v.pipe(v.string(), v.regex(/^postgres(ql)?:\/\//, 'an address that begins with postgres://'))
	),
	LIMEN_DATABASE_APPLICATION_URL: v.optional(
		v.pipe(v.string(), v.regex(/^postgres(ql)?:\/\//, 'an address that begins with postgres://'))
	),
	/** The queue's own way in, when its role is not to be made here. */
	LIMEN_DATABASE_JOBS_URL: v.optional(
		v.pipe(v.string(), v.regex(/^postgres(ql)?:\/\//, 'an address that begins with postgres://'))
	),
	LIMEN_DATABASE_PORT: port(4083),
	LIMEN_DATABASE_POOL: count(12, 100),
	/** So many processes of the application share its ports. */
	LIMEN_PROCESSES: count(1, 32),
	LIMEN_LOG_LEVEL: v.optional(v.picklist(['debug', 'info', 'warn', 'error', 'silent']), 'info')
});
export type Settings = Readonly<v.InferOutput<typeof settingsSchema>>;

/** The ports of an installation: of the application, of its database, and of the demo's yard. */
export const PORTS = [
	'LIMEN_PORT',
	'LIMEN_CALL_HOME_PORT',
	'LIMEN_NETCONF_PORT',
	'LIMEN_BOOTSTRAP_PORT',
	'LIMEN_REDIRECT_PORT',
	'LIMEN_EVENTS_PORT',
	'LIMEN_EVENTS_TLS_PORT',
	'LIMEN_METRICS_PORT',
	'LIMEN_YARD_PORT',
	'LIMEN_YARD_MAIL_PORT',
	'LIMEN_YARD_IDENTITY_PORT',
	'LIMEN_YARD_SSH_PORT',
	'LIMEN_DATABASE_PORT'
] as const satisfies readonly (keyof Settings)[];

/** Reads the settings. Throws one sentence that names every variable that is wrong. */
export function readSettings(environment: Record<string, string | undefined> = process.env): Settings {
	const parsed = v.safeParse(settingsSchema, environment);
	if (parsed.success) return parsed.output;
	const wrong = parsed.issues.map((issue) => `${String(issue.path?.[0]?.key)} must be ${issue.message}`);
	throw new Error(`Settings: ${wrong.join('; ')}.`);
}

let settings: Settings | undefined;
/** The settings of this process. */
export const currentSettings = (): Settings => (settings ??= readSettings());

/** Where a browser and a unit reach the application. */
export const publicUrl = ({ LIMEN_PUBLIC_URL, LIMEN_HOST, LIMEN_PORT }: Settings): string =>
	LIMEN_PUBLIC_URL ?? `http://${LIMEN_HOST.includes(':') ? `[${LIMEN_HOST}]` : LIMEN_HOST}:${LIMEN_PORT}`;
