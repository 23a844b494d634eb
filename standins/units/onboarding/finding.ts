import {
	ONBOARDING,
	REDIRECT,
	type ConveyedInformation,
	type OnboardingInformation
} from '../../../src/core/bootstrap';
import { certificatesIn } from '../../../src/core/trust';
import { getBootstrappingData, type About, type Caller, type Server } from './bootstrap-client';

/** What a unit found out, and from whom it has it. */
export type Found =
	| { readonly kind: 'onboarding'; readonly information: OnboardingInformation; readonly server: Server }
	/** Nobody has anything for it, in words for its console. */
	| { readonly kind: 'nothing'; readonly words: string }
	/** It was given something that it does not believe, or cannot read. */
	| { readonly kind: 'unusable'; readonly problem: string; readonly server: Server };

const MOST_HOPS = 6;

/**
 * RFC 8572 section 5: asks a server what to become, and goes where it is sent. A server is trusted when it has the certificate
 * that a trusted one, or the unit's owner, has named; what an untrusted one says unsigned of another's certificate counts
 * for nothing. Ends where it is sent in a circle.
 */
export async function findOut(
	first: Server,
	caller: Caller,
	about: About,
	resolve: (name: string) => Promise<string | null>,
	signal: AbortSignal
): Promise<Found> {
	const been = new Set<string>();
	let server = first;
	for (let hop = 0; hop < MOST_HOPS; hop++) {
		const place = `${server.uri}${server.isTrusted ? ', trusted' : ''}`;
		if (been.has(place)) break;
		been.add(place);
		const answer = await getBootstrappingData(server, caller, about, signal);
		if (answer.kind === 'nothing')
			return { kind: 'nothing', words: `the bootstrap server has nothing for this unit (${answer.status})` };
		if (answer.kind === 'unusable') return { ...answer, server };
		const { information, isSigned } = answer;
		if (!(REDIRECT in information))
			return { kind: 'onboarding', information: information[ONBOARDING], server };
		const next = await serverNamed(information, isSigned || server.isTrusted, resolve, first.from);
		if (typeof next === 'string') return { kind: 'nothing', words: next };
		server = next;
	}
	return { kind: 'nothing', words: 'was sent in a circle by servers that it does not trust' };
}

/** The server that redirect information names; why there is none, where its name leads nowhere. `isBelieved`: also as to its certificate. */
export async function serverNamed(
	information: Extract<ConveyedInformation, { [REDIRECT]: unknown }>,
	isBelieved: boolean,
	resolve: (name: string) => Promise<string | null>,
	from: string | undefined
): Promise<Server | string> {
	const next = information[REDIRECT]['bootstrap-server'][0]!;
	const address = await resolve(next.address);
	if (address === null) return `the name ${next.address} could not be resolved`;
	const anchor = isBelieved ? next['trust-anchor'] : undefined;
	return {
		uri: `https://${next.address.includes(':') ? `[${next.address}]` : next.address}:${next.port ?? 443}`,
		address,
		trust: anchor === undefined ? null : pemOf(anchor),
		isTrusted: anchor !== undefined,
		from
	};
}

/** The certificates of a trust anchor (base64 of CMS), as PEM. */
function pemOf(anchor: string): string {
	const certificates = certificatesIn(Buffer.from(anchor, 'base64')) ?? [];
	return certificates
		.map(
			(der) =>
				`-----BEGIN CERTIFICATE-----\n${Buffer.from(der).toString('base64')}\n-----END CERTIFICATE-----\n`
		)
		.join('');
}
