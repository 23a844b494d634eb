import { hostOf, parseAddress, parsePrefix, printAddress } from '../address';
import type { Cable, TunnelEnd } from '../plan';
import type { ReadyCheck } from '../profile';
import { CHECK_ORDER, USUAL_LIMITS, type ExpectedCable, type Expectation, type ProofLimits } from './checks';

/** A position as far as proving its site goes. */
export interface ProvenPosition {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	/** Printed names of its model's ports, by what they are for. */
	readonly ports: Readonly<Record<string, string>>;
	/** Of the bound unit; null without one. */
	readonly unit: { readonly serial: string; readonly mac: string | null } | null;
	readonly targetVersion: string | null;
	readonly tunnels: readonly TunnelEnd[];
	/** The networks of its own site. */
	readonly networks: readonly string[];
	/** Names that it is told to use: of its time server, for one. */
	readonly names: readonly string[];
	readonly checks: readonly ReadyCheck[];
	readonly limits?: ProofLimits;
}
/** Another site of the customer that is online, to which the way is looked at. */
export interface OtherSite {
	readonly name: string;
	readonly answers: string;
}
export interface ProofPlan {
	readonly positions: readonly ProvenPosition[];
	readonly cables: readonly Cable[];
	readonly others: readonly OtherSite[];
}
export interface PlannedCheck {
	readonly positionId: string;
	readonly expects: Expectation;
}

/** The address of a network that answers: its first host, which routers have. Null for what is no network. */
export function answeringAddress(network: string | undefined): string | null {
	const prefix = network === undefined ? null : parsePrefix(network);
	const host = prefix && hostOf(prefix, 1n);
	return host ? printAddress(host) : null;
}

const isName = (text: string): boolean => /[a-z]/i.test(text) && !parseAddress(text);

/**
 * The checks of a site: all that its plan expects of each unit, in the order in which they are made. Positions without a
 * unit have none. Laws: the same plan gives the same checks; nothing is expected that the plan does not say.
 */
export function checksFor(plan: ProofPlan): readonly PlannedCheck[] {
	const byId = new Map(plan.positions.map((one) => [one.id, one]));
	return plan.positions.flatMap((position) => {
		if (!position.unit) return [];
		const limits = position.limits ?? USUAL_LIMITS;
		return expectedAt(position, plan, byId)
			.filter(({ kind }) => !limits.off.includes(kind))
			.map((expects) => ({ positionId: position.id, expects }))
			.sort((a, b) => CHECK_ORDER.indexOf(a.expects.kind) - CHECK_ORDER.indexOf(b.expects.kind));
	});
}

function expectedAt(
	position: ProvenPosition,
	{ cables, others }: ProofPlan,
	byId: ReadonlyMap<string, ProvenPosition>
): readonly Expectation[] {
	const { loss, milliseconds, speed, least, seconds } = position.limits ?? USUAL_LIMITS;
	const expected: Expectation[] = [
		{ kind: 'serial', serial: position.unit!.serial },
		...(position.targetVersion === null
			? []
			: [{ kind: 'firmware', version: position.targetVersion } as const]),
		{ kind: 'configuration' },
		{ kind: 'clock', seconds }
	];
	const name = position.names.find(isName);
	if (name !== undefined) expected.push({ kind: 'name', name });
	const ends = endsAt(position, cables, byId);
	if (ends.some(({ role }) => role === 'uplink') && position.ports.uplink !== undefined)
		expected.push({ kind: 'port', port: position.ports.uplink, speed });
	const plugged = ends.flatMap(({ cable }) => cable ?? []);
	if (plugged.length > 0) expected.push({ kind: 'neighbours', cables: plugged });
	const fed = ends.flatMap(({ cable, feeds }) => (cable && feeds ? [{ port: cable.port, feeds }] : []));
	if (fed.length > 0) expected.push({ kind: 'power', ports: fed });
	const isRouting = position.tunnels.length > 0 || position.networks.length > 0;
	if (isRouting && position.networks.length > 0 && position.roleId !== 'switch')
		expected.push({ kind: 'clients', least });
	// A hub's own tunnels are looked at from their sites: a site that is down is not the hub's fault
	for (const tunnel of position.tunnels.filter(({ is_hub }) => is_hub || !isHubOf(position))) {
		expected.push({ kind: 'tunnel', tunnel: tunnel.name });
		for (const prefix of tunnel.networks)
			expected.push({ kind: 'route', prefix, tunnel: tunnel.name, next: tunnel.far_address });
		const host = answeringAddress(tunnel.far_networks[0]);
		if (host === null) continue;
		expected.push({ kind: 'reach', host, loss, milliseconds });
		if (!tunnel.is_hub) expected.push({ kind: 'path', host, way: 'direct', next: tunnel.far_address });
	}
	const hub = position.tunnels.find(({ is_hub }) => is_hub);
	const direct = new Set(position.tunnels.map(({ far_site }) => far_site));
	const other = others.find((one) => !direct.has(one.name));
	if (hub && other)
		expected.push(
			{ kind: 'reach', host: other.answers, loss, milliseconds },
			{ kind: 'path', host: other.answers, way: 'hub', next: hub.far_address }
		);
	for (const check of position.checks) expected.push({ kind: 'command', ...check });
	return expected;
}

/** A hub is where others lead to and which leads to no hub itself. */
const isHubOf = ({ tunnels }: ProvenPosition): boolean =>
	tunnels.length > 1 && tunnels.every(({ is_hub }) => !is_hub);

interface OwnEnd {
	/** The port of the position, by what it is for. */
	readonly role: string;
	/** Null for the provider's socket. */
	readonly cable: ExpectedCable | null;
	readonly feeds: string | null;
}

/** What is plugged into a position by the plan, by its port; `feeds`: whom the cable gives power. */
function endsAt(
	position: ProvenPosition,
	cables: readonly Cable[],
	byId: ReadonlyMap<string, ProvenPosition>
): readonly OwnEnd[] {
	return cables.flatMap(({ near, far }): readonly OwnEnd[] => {
		const own = near.positionId === position.id ? near : far?.positionId === position.id ? far : null;
		if (!own) return [];
		const other = own === near ? far : near;
		const at = other && byId.get(other.positionId);
		const port = position.ports[own.port];
		// What has no unit yet cannot be plugged in
		if (!other || !at?.unit || port === undefined) return [{ role: own.port, cable: null, feeds: null }];
		const cable = {
			port,
			far: at.name,
			farPort: at.ports[other.port] ?? other.port,
			chassis: at.unit.mac
		};
		const feeds = own === far && at.roleId === 'access-point' ? at.name : null;
		return [{ role: own.port, cable, feeds }];
	});
}
