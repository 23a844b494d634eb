import { readdirSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { type Settings } from '../src/lib/server/settings';
import type { RegistryPlace } from '../src/lib/server/intake';

export const YARD_REGISTRIES = fileURLToPath(new URL('../demo/registries.json', import.meta.url));
/** What the demo's DHCP server calls the bootstrap server. */
export const DEMO_BOOTSTRAP_NAME = 'bootstrap.limen.example';

/** The demo's makers have registries in the yard, at which the firm is known by a name. */
const DEMO_MAKERS = readdirSync(new URL('../demo/packs/', import.meta.url)).map((name) =>
	name.replace('.json', '')
);
const DEMO_ACCOUNT = 'sallowfield';
/** Between the demo and the identity provider in its yard, which knows nobody real. */
export const DEMO_CLIENT_SECRET = 'sallowfield-demo-identity';

/** Each maker's registry in the yard. */
export const demoRegistries = ({ LIMEN_YARD_PORT: port }: Settings): readonly RegistryPlace[] =>
	DEMO_MAKERS.map((makerId) => ({ makerId, url: `http://127.0.0.1:${port}/registry/${makerId}` }));

/** What only a demo has: the quick sign-in, registries in the yard, and letters that go there. */
export const demoOnly = (settings: Settings): NodeJS.ProcessEnv => ({
	LIMEN_DEMO: 'yes',
	LIMEN_REACH_EVERY: '15',
	LIMEN_FIRM: 'Sallowfield Networks',
	LIMEN_HELP_LINE: '021 555 0142',
	LIMEN_BOOTSTRAP_NAME: DEMO_BOOTSTRAP_NAME,
	LIMEN_REGISTRY_ACCOUNT: DEMO_ACCOUNT,
	// The yard hears what webhooks tell
	LIMEN_OUTWARD_NETWORKS: '127.0.0.1',
	LIMEN_REGISTRIES: demoRegistries(settings)
		.map(({ makerId, url }) => `${makerId}=${url}`)
		.join(','),
	LIMEN_OIDC_ISSUER: `http://${settings.LIMEN_HOST}:${settings.LIMEN_YARD_IDENTITY_PORT}`,
	LIMEN_OIDC_CLIENT_SECRET: DEMO_CLIENT_SECRET,
	LIMEN_SMTP_URL: settings.LIMEN_SMTP_URL ?? `smtp://127.0.0.1:${settings.LIMEN_YARD_MAIL_PORT}`
});
