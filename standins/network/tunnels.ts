import { portsOf, type Tunnel } from '../units/configuration/wiring';
import { networkText, sameBlock } from './addresses';
import { Cables } from './cables';
import type { Route, Station, TunnelState } from './station';

/** So long two ends take to agree, on a real pair of devices. */
const AGREEING_MS = 8_000;

/** Tunnels between units: up when both ends' configurations agree and both have power and a way out; and the routes by them. */
export class Tunnels<Own extends Station = Station> extends Cables<Own> {
	/** Since when two ends agree, by their tunnel's addresses. */
	private readonly since = new Map<string, number>();

	constructor(
		all: () => Iterable<Own>,
		private readonly pace: number,
		protected readonly now: () => number = Date.now
	) {
		super(all);
	}

	private canTunnel = (one: Station): boolean =>
		this.hasWayOut(one) && !one.faults.has('blocked-tunnels') && !one.faults.has('far-side-silent');

	/** The other end of a tunnel, while both agree. */
	private otherEnd(one: Station, tunnel: Tunnel): { readonly station: Own; readonly tunnel: Tunnel } | null {
		if (!this.canTunnel(one) || one.faults.has('lost-secret')) return null;
		for (const station of this.all()) {
			if (station.label.serial === one.label.serial) continue;
			for (const theirs of station.wiring?.tunnels ?? []) {
				if (!sameBlock(tunnel.own, theirs.own) || tunnel.own === theirs.own) continue;
				if (tunnel.secret !== theirs.secret || station.faults.has('lost-secret')) continue;
				const dials =
					(tunnel.farEnd !== null && tunnel.farEnd === station.wiring!.outside) ||
					(theirs.farEnd !== null && theirs.farEnd === one.wiring?.outside);
				if (dials && this.canTunnel(station)) return { station, tunnel: theirs };
			}
		}
		return null;
	}

	/** The same, once it has been so for as long as two ends take. */
	protected upTo(one: Station, tunnel: Tunnel): { readonly station: Own; readonly tunnel: Tunnel } | null {
		const other = this.otherEnd(one, tunnel);
		const key = `${networkText(tunnel.own)} ${tunnel.secret}`;
		if (!other) {
			this.since.delete(key);
			return null;
		}
		const since = this.since.get(key) ?? this.now();
		this.since.set(key, since);
		return this.now() - since >= AGREEING_MS * this.pace ? other : null;
	}

	/** Looks at every tunnel, so that those which agree begin to count. */
	look(): void {
		for (const one of this.all()) for (const tunnel of one.wiring?.tunnels ?? []) this.upTo(one, tunnel);
	}

	tunnels(one: Station): readonly TunnelState[] {
		return (one.wiring?.tunnels ?? []).map((tunnel) => ({
			name: tunnel.name,
			isUp: this.upTo(one, tunnel) !== null,
			peer: peerOf(tunnel)
		}));
	}

	routes(one: Station): readonly Route[] {
		const { lans = [], tunnels = [] } = one.wiring ?? {};
		return [
			...lans.map(({ name, address }) => ({ prefix: networkText(address), via: name, next: null })),
			...tunnels.flatMap((tunnel) =>
				this.upTo(one, tunnel)
					? tunnel.reach.map((prefix) => ({ prefix, via: tunnel.name, next: peerOf(tunnel) }))
					: []
			),
			...(this.hasWayOut(one)
				? [{ prefix: '0.0.0.0/0', via: portsOf(one.label.model).uplink, next: null }]
				: [])
		];
	}
}

const peerOf = ({ own }: Tunnel): string => {
	const [address, length] = own.split('/');
	const parts = address!.split('.').map(Number);
	parts[3] = length === '31' ? parts[3]! ^ 1 : parts[3]!;
	return parts.join('.');
};
