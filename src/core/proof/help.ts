import type { CheckKind } from './checks';

/** What it means that a check fails, and what helps: for whoever stands at the site. */
const HELP: Readonly<Record<CheckKind, string>> = {
	serial: 'Look at the label: bind the unit that is really here, or put the right one in its place.',
	firmware: 'It does not run what its profile wants. Let it try again from the start.',
	configuration: 'Somebody changed it by hand, or it was not sent what is due. See what differs.',
	port: 'Look at the cable and the light of this port; take another cable, and the port that the card names.',
	power: 'The cable is in a port that gives no power, or it is damaged. Compare with the card.',
	neighbours: 'Move the cable to the port that is planned, or say that it stays so.',
	name: 'Its name server does not answer, or is not the right one.',
	clock: 'The time service does not reach it. Certificates will fail until it is right.',
	clients: 'All addresses for clients are given away. Make the range larger.',
	tunnel:
		'Both ends must run what is planned, with the same secret, and reach each other; providers can block tunnels.',
	route: 'The tunnel is down, or the other end’s networks are not in what was sent.',
	reach: 'The way is broken or lossy. Look at the tunnel first, then at the provider’s line.',
	path: 'The packets take another way than planned: look at the tunnel that they should take.',
	command: 'Read what the unit said; the profile says what it should be.'
};
export const helpFor = (kind: CheckKind): string => HELP[kind];
