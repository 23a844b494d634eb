import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import * as v from 'valibot';
import { identityProvider, type FirmPerson } from './identity/provider';
import { Inventory } from './inventory/service';
import { PostBox } from './mail/post-box';
import { serveDhcp } from './network/dhcp';
import { serveNames } from './network/names';
import { serveTime } from './network/time';
import { deviceAuthority, openAuthority } from './registry/authority';
import { openRegistries } from './registry/open';
import { serveRedirectors, wellKnownName } from './registry/redirector';
import { MAKERS } from './units/makers';
import { serveYard } from './yard/server';
import { Yard } from './yard/store';
import { unitsOf } from './yard/units-file';

/**
 * The simulated outside world: units, their network's services, and the yard's panel, in one process of
 * its own. Knows the application only as the address that DHCP hands out.
 */
const port = v.pipe(v.string(), v.transform(Number), v.integer(), v.minValue(0), v.maxValue(65_535));
const settings = v.parse(
	v.object({
		YARD_HOST: v.string(),
		YARD_PORT: port,
		YARD_UNITS: v.string(),
		/** What the makers' registries know besides the yard's units. */
		YARD_REGISTRIES: v.optional(v.string()),
		/** Whether they have made every unit that they are asked about. */
		YARD_REGISTRIES_TRUST: v.optional(v.literal('yes')),
		YARD_STATE: v.string(),
		YARD_PACE: v.pipe(v.string(), v.transform(Number), v.minValue(0)),
		/** What somebody else's inventory holds. */
		YARD_INVENTORY: v.optional(v.string()),
		YARD_MAIL_PORT: port,
		/** The firm's identity provider: where it listens, whom it knows, and where people go back to. */
		YARD_IDENTITY_PORT: v.optional(port),
		YARD_IDENTITY_PEOPLE: v.optional(v.string()),
		YARD_IDENTITY_CALLBACK: v.optional(v.pipe(v.string(), v.url())),
		YARD_IDENTITY_SECRET: v.optional(v.string()),
		/** Where what units say to their log server arrives; as if that were its own port. */
		YARD_EVENTS_PORT: port,
		/** Where units listen that are reached at an address. */
		YARD_SSH_PORT: v.optional(port),
		YARD_BOOTSTRAP_NAME: v.string(),
		YARD_BOOTSTRAP_PORT: port,
		/** A file with the certificate that units trust. */
		YARD_TRUST: v.optional(v.string())
	}),
	process.env
);

const NAME = settings.YARD_BOOTSTRAP_NAME;
/** What the units were made to trust; without it they call in the clear. */
const trust = settings.YARD_TRUST ? readFileSync(settings.YARD_TRUST, 'utf8') : null;
/** By this name units find their log server, whatever its port is here. */
const LOG_NAME = 'log.sallowfield.example';
const LOOPBACK = '127.0.0.1';
const offer = {
	nameServer: LOOPBACK,
	timeServer: LOOPBACK,
	bootstrapServers: [`${trust ? 'https' : 'http'}://${NAME}:${settings.YARD_BOOTSTRAP_PORT}`]
};

const time = await serveTime(0);
let yard: Yard | undefined = undefined;
const dhcp = await serveDhcp(
	0,
	() => offer,
	(mac) => yard?.mayHaveLease(mac) ?? false
);

/** What each maker signs with, that gives vouchers. */
const makers = new Map(
	await Promise.all(
		Object.entries(MAKERS)
			.flatMap(([maker, { vouches }]) => (vouches ? [maker] : []))
			.map(
				async (maker) =>
					[
						maker,
						{
							vouchers: await openAuthority(
								maker,
								join(dirname(settings.YARD_STATE), `${maker}-vouchers.pem`)
							),
							devices: deviceAuthority(maker)
						}
					] as const
			)
	)
);
const { registries, keep: keepRegistries } = openRegistries(
	settings.YARD_UNITS,
	settings.YARD_REGISTRIES,
	settings.YARD_REGISTRIES_TRUST === 'yes',
	new Map([...makers].map(([maker, { vouchers }]) => [maker, vouchers])),
	join(dirname(settings.YARD_STATE), 'registries.json')
);
const redirectors = await serveRedirectors(
	registries,
	new Map([...makers].map(([maker, { devices }]) => [maker, devices]))
);
const dns = await serveNames(0, [NAME, LOG_NAME, ...[...makers.keys()].map(wellKnownName)], LOOPBACK);
yard = new Yard(unitsOf(settings.YARD_UNITS), settings.YARD_STATE, {
	dhcpPort: dhcp.address().port,
	dnsPort: dns.address().port,
	timePort: time.address().port,
	logPort: settings.YARD_EVENTS_PORT,
	sshPort: settings.YARD_SSH_PORT,
	pace: settings.YARD_PACE,
	trust,
	makers,
	wellKnownPort: redirectors.port
});
const postBox = new PostBox();
await postBox.listen(settings.YARD_MAIL_PORT, settings.YARD_HOST);
const inventory = new Inventory(
	settings.YARD_INVENTORY ? JSON.parse(readFileSync(settings.YARD_INVENTORY, 'utf8')) : []
);
await serveYard({ yard, postBox, registries, inventory }, settings.YARD_PORT, settings.YARD_HOST);

const { YARD_IDENTITY_PORT, YARD_IDENTITY_PEOPLE, YARD_IDENTITY_CALLBACK, YARD_IDENTITY_SECRET } = settings;
if (YARD_IDENTITY_PORT && YARD_IDENTITY_PEOPLE && YARD_IDENTITY_CALLBACK && YARD_IDENTITY_SECRET)
	identityProvider(JSON.parse(readFileSync(YARD_IDENTITY_PEOPLE, 'utf8')) as FirmPerson[], {
		issuer: `http://${settings.YARD_HOST}:${YARD_IDENTITY_PORT}`,
		callback: YARD_IDENTITY_CALLBACK,
		client: { id: 'limen', secret: YARD_IDENTITY_SECRET }
	}).listen(YARD_IDENTITY_PORT, settings.YARD_HOST);

if (process.env.LIMEN_ENDS_WITH_PARENT)
	process.stdin.resume().once('end', () => process.kill(process.pid, 'SIGTERM'));

for (const signal of ['SIGTERM', 'SIGINT'] as const)
	process.once(signal, () => {
		yard?.keep();
		keepRegistries();
		process.exit(0);
	});
