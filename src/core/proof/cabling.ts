import type { Cable } from '../plan';
import type { Groups } from '../pattern';

/** A position whose unit can be heard, with its ports' printed names by what they are for. */
export interface HeardPosition {
	readonly id: string;
	readonly name: string;
	/** Of its unit; null where it is not known. */
	readonly chassis: string | null;
	readonly ports: Readonly<Record<string, string>>;
	/** What its unit hears at its ports; null where it was not read. */
	readonly heard: readonly Groups[] | null;
}
/** `half`: only one of two that were read says so. `unread`: neither could say. */
export type CableState = 'right' | 'half' | 'elsewhere' | 'missing' | 'unread';
export interface ComparedCable {
	readonly cable: Cable;
	readonly state: CableState;
	/** The printed ports where it really is, where that is elsewhere. */
	readonly found: { readonly near: string; readonly far: string } | null;
}
/** What hangs at a port and belongs to no cable: as it says it is. */
export interface Stranger {
	readonly positionId: string;
	readonly port: string;
	readonly chassis: string;
	readonly name: string;
	readonly description: string;
	/** The position whose unit it is, where it is one of the site's own. */
	readonly own: string | null;
}
export interface ComparedCabling {
	readonly cables: readonly ComparedCable[];
	readonly strangers: readonly Stranger[];
}

const plain = (chassis: string | null | undefined): string =>
	(chassis ?? '').toLowerCase().replace(/[^0-9a-f]/g, '');

/**
 * What units hear (LLDP), against the planned cables; cables to the provider's socket are `unread`, for it says nothing.
 * Laws: each cable is told once; identity is the chassis, names are not unique; who hears a planned neighbour is no
 * stranger to it, whatever the port.
 */
export function compareCabling(
	cables: readonly Cable[],
	positions: readonly HeardPosition[]
): ComparedCabling {
	const byId = new Map(positions.map((one) => [one.id, one]));
	const compared = cables.map((cable) => compareOne(cable, byId));
	const planned = new Set(
		cables.flatMap(({ near, far }) =>
			far ? [`${near.positionId} ${far.positionId}`, `${far.positionId} ${near.positionId}`] : []
		)
	);
	const owner = new Map(
		positions.flatMap((one) => (one.chassis ? [[plain(one.chassis), one] as const] : []))
	);
	const strangers = positions.flatMap(({ id, heard }) =>
		(heard ?? []).flatMap((row): Stranger[] => {
			const own = owner.get(plain(row.chassis)) ?? null;
			return own && planned.has(`${id} ${own.id}`)
				? []
				: [
						{
							positionId: id,
							port: row.port ?? '',
							chassis: row.chassis ?? '',
							name: row.name ?? '',
							description: row.description ?? '',
							own: own?.name ?? null
						}
					];
		})
	);
	return { cables: compared, strangers };
}

function compareOne(cable: Cable, byId: ReadonlyMap<string, HeardPosition>): ComparedCable {
	const near = byId.get(cable.near.positionId);
	const far = cable.far && byId.get(cable.far.positionId);
	const unread: ComparedCable = { cable, state: 'unread', found: null };
	if (!near || !far || (near.heard === null && far.heard === null)) return unread;
	const planned = { near: near.ports[cable.near.port] ?? '', far: far.ports[cable.far!.port] ?? '' };
	const nearSays = hears(near, far, planned.near);
	const farSays = hears(far, near, planned.far);
	if (!nearSays && !farSays) return { cable, state: 'missing', found: null };
	const said = (text: string | undefined) => (text === '' ? undefined : text);
	const found = {
		near: said(nearSays?.port) ?? said(farSays?.neighbour_port) ?? planned.near,
		far: said(farSays?.port) ?? said(nearSays?.neighbour_port) ?? planned.far
	};
	if (found.near !== planned.near || found.far !== planned.far) return { cable, state: 'elsewhere', found };
	const isHalf = (near.heard !== null && !nearSays) || (far.heard !== null && !farSays);
	return { cable, state: isHalf ? 'half' : 'right', found: null };
}

/** What one hears of another: at the planned port first, where there are several cables between them. */
function hears(one: HeardPosition, other: HeardPosition, port: string): Groups | undefined {
	const rows = (one.heard ?? []).filter(
		(row) => other.chassis !== null && plain(row.chassis) === plain(other.chassis)
	);
	return rows.find((row) => row.port === port) ?? rows[0];
}

/**
 * The cables as they were found to be: a cable that is elsewhere goes there. Null where a found port is none that its
 * position is planned to have.
 */
export function cablesAsFound(
	{ cables }: ComparedCabling,
	positions: readonly HeardPosition[]
): readonly Cable[] | null {
	const byId = new Map(positions.map((one) => [one.id, one]));
	const roleOf = (positionId: string, printed: string) =>
		Object.entries(byId.get(positionId)?.ports ?? {}).find(([, name]) => name === printed)?.[0];
	const result: Cable[] = [];
	for (const { cable, state, found } of cables) {
		if (state !== 'elsewhere' || !cable.far) {
			result.push(cable);
			continue;
		}
		const near = roleOf(cable.near.positionId, found!.near);
		const far = roleOf(cable.far.positionId, found!.far);
		if (near === undefined || far === undefined) return null;
		result.push({
			near: { positionId: cable.near.positionId, port: near },
			far: { positionId: cable.far.positionId, port: far }
		});
	}
	return result;
}
