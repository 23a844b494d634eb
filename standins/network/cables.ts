import { portsOf } from '../units/configuration/wiring';
import { nameOf, type Neighbour, type PortState, type Station } from './station';

/** Who is plugged into what, who is fed over a cable, and what is heard at its other end. */
export class Cables<Own extends Station = Station> {
	constructor(protected readonly all: () => Iterable<Own>) {}

	placeOf = (one: Station): string | null => one.carriedTo ?? one.wiring?.place ?? null;

	/** Those that stand in one place, in order of their names. */
	protected beside(one: Station): readonly Own[] {
		const place = this.placeOf(one);
		if (place === null) return [];
		const name = (other: Station) => other.wiring?.hostname ?? other.label.serial;
		return [...this.all()]
			.filter((other) => this.placeOf(other) === place)
			.sort((a, b) => (name(a) < name(b) ? -1 : 1));
	}

	/** Into what a unit's cable is plugged: a port of another, the provider's socket (`outside`), or nothing. */
	plugOf(one: Station): { readonly station: Own; readonly port: string } | 'outside' | null {
		if (one.cable === 'none') return null;
		const { kind } = portsOf(one.label.model);
		if (kind === 'router') return one.cable === 'uplink' ? 'outside' : null;
		const beside = this.beside(one);
		if (one.plug) {
			const station = beside.find(({ label }) => label.serial === one.plug!.serial);
			return station ? { station, port: one.plug.port } : null;
		}
		return this.usualPlugs(beside).get(one.label.serial) ?? 'outside';
	}

	/** Where people usually plug things: switches into the router, access points into the first ports that feed them. */
	private usualPlugs(
		beside: readonly Own[]
	): ReadonlyMap<string, { readonly station: Own; readonly port: string }> {
		const ofKind = (wanted: string) =>
			beside.filter((other) => portsOf(other.label.model).kind === wanted && other.cable !== 'none');
		const taken = new Set(beside.flatMap(({ plug }) => (plug ? [`${plug.serial} ${plug.port}`] : [])));
		const plugs = new Map<string, { readonly station: Own; readonly port: string }>();
		const give = (one: Own, among: readonly Own[], isFit: (station: Own, port: string) => boolean) => {
			for (const station of among)
				for (const port of portsOf(station.label.model).others) {
					const key = `${station.label.serial} ${port}`;
					if (taken.has(key) || !isFit(station, port)) continue;
					taken.add(key);
					return void plugs.set(one.label.serial, { station, port });
				}
		};
		const feeds = (station: Own, port: string) => portsOf(station.label.model).feeds(port, station.wiring);
		for (const one of ofKind('switch')) if (!one.plug) give(one, ofKind('router'), () => true);
		for (const one of ofKind('access point'))
			if (!one.plug) give(one, [...ofKind('switch'), ...ofKind('router')], feeds);
		return plugs;
	}

	/** Whether what is fed over its cable is fed. */
	isFed(one: Station): boolean {
		if (portsOf(one.label.model).kind !== 'access point') return true;
		const plug = this.plugOf(one);
		if (plug === 'outside') return true;
		if (plug === null) return false;
		return plug.station.isOn && portsOf(plug.station.label.model).feeds(plug.port, plug.station.wiring);
	}

	/** Whether a unit's packets come out of its site at all. */
	hasWayOut(one: Station, seen: ReadonlySet<string> = new Set()): boolean {
		if (!one.isOn || one.faults.has('cut-fibre') || seen.has(one.label.serial)) return false;
		if (one.wiring?.isShut) return false;
		const plug = this.plugOf(one);
		return (
			plug === 'outside' ||
			(plug !== null && this.hasWayOut(plug.station, new Set([...seen, one.label.serial])))
		);
	}

	/** What a unit hears from the other ends of its cables (LLDP). */
	neighbours(one: Station): readonly Neighbour[] {
		if (!one.isOn) return [];
		const heard = (other: Station, port: string, neighbourPort: string): readonly Neighbour[] =>
			other.isOn && !other.faults.has('mute')
				? [
						{
							port,
							chassis: other.label.mac,
							neighbourPort,
							name: nameOf(other),
							description: `${other.label.model}, release ${other.version}`,
							address: other.label.listens ? (other.label.line ?? '') : ''
						}
					]
				: [];
		const own = this.plugOf(one);
		const upward =
			own !== null && own !== 'outside' ? heard(own.station, portsOf(one.label.model).uplink, own.port) : [];
		const downward = this.beside(one).flatMap((other) => {
			const plug = this.plugOf(other);
			return plug !== null && plug !== 'outside' && plug.station.label.serial === one.label.serial
				? heard(other, plug.port, portsOf(other.label.model).uplink)
				: [];
		});
		const { others } = portsOf(one.label.model);
		const [first, last] = [others[0]!, others.at(-1)!];
		const looped = one.faults.has('loop') ? [...heard(one, first, last), ...heard(one, last, first)] : [];
		const strange: readonly Neighbour[] = one.faults.has('stranger')
			? [
					{
						port: last,
						chassis: `06:${one.label.mac.slice(3)}`,
						neighbourPort: 'port 1',
						name: 'back-room',
						description: 'a small switch that somebody brought',
						address: ''
					}
				]
			: [];
		return [...upward, ...downward, ...looped, ...strange, ...(one.label.beside ?? [])];
	}

	ports(one: Station): readonly PortState[] {
		const { uplink, others, feeds } = portsOf(one.label.model);
		const plugged = new Set(this.neighbours(one).map(({ port }) => port));
		const own = this.plugOf(one);
		const isUp = (port: string) =>
			port === uplink
				? own !== null && !(own === 'outside' && one.faults.has('cut-fibre'))
				: plugged.has(port) || (port === others[0] && (one.wiring?.lans.length ?? 0) > 0);
		return [uplink, ...others].map((port) => ({
			port,
			isUp: isUp(port),
			speed: isUp(port) ? (port === uplink && one.faults.has('bad-cable') ? 10 : 1000) : 0,
			givesPower: feeds(port, one.wiring) && plugged.has(port)
		}));
	}
}
