import type { Plan } from '../../../src/lib/server/plan';

/** Made-up sites, and the faults that can be planted in one. */
export const KINDS = ['none', 'values', 'cabling', 'versions', 'secrets', 'hub'] as const;
export type Kind = (typeof KINDS)[number];

export type Place = Plan['positions'][number] & { readonly model: string; version: string | null };
export interface Made {
	readonly index: number;
	readonly name: string;
	uplink: Plan['sites'][number]['uplink'];
	readonly values: Record<string, string>;
	readonly places: Place[];
	/** When its tunnel is planned, and to where. */
	tunnel: 'before the hub' | 'after the hub' | 'to a hub that is away';
	isSecretRenewed: boolean;
	/** The site that has to be online first. */
	after: Made | null;
	/** Into which port of which an access point is plugged, by what the port is for. */
	plug: { readonly point: string; readonly into: string; readonly port: string } | null;
}
export const front = ({ places }: Made): Place => places[0]!;
const placeIn = ({ places }: Made, profile: string): Place | undefined =>
	places.find((one) => one.profile === profile);

export interface Plant {
	readonly kind: Kind;
	readonly name: string;
	/** What it needs of its site. */
	readonly shape?: { readonly points?: number; readonly hasSwitch?: boolean };
	readonly plant: (site: Made, before: Made | undefined) => void;
}
/** Profiles as the demo's, otherwise in one thing. */
export const VARIANTS = {
	'Plain gateway': ['Clinic gateway', {}],
	'Plain point': ['Indoor access point', {}],
	'Ahead gateway': ['Clinic gateway', { 'okapira-og': '7.1.0', 'veltrane-branch': '9.0.0' }],
	'Large switch': ['Access switch', { 'brackwater-bw': '3.2.0' }]
} as const;
const OLD: Readonly<Record<string, string>> = { VT: '4.0.7', OG: '6.8.2', LF: '2.5.4', BW: '3.0.5' };
const oldOf = (model: string): string => OLD[model.slice(0, 2)]!;
const block = (index: number): string => `10.${64 + (index >> 6)}.${(index & 63) * 4}`;
const inBlock = (index: number, third: number, rest: string): string => {
	const [a, b, c] = block(index).split('.').map(Number);
	return `${a}.${b}.${c! + third}.${rest}`;
};

export const PLANTS: readonly Plant[] = [
	// First, so that what comes before it is well
	{
		kind: 'values',
		name: 'the networks of another site',
		plant: (site, before) => {
			Object.assign(site.values, { networks: before!.values.networks });
			site.after = before!;
		}
	},
	{ kind: 'values', name: 'no networks', plant: ({ values }) => void delete values.networks },
	{
		kind: 'values',
		name: 'a range outside its network',
		plant: (site) => void Object.assign(front(site).values, { lan_first: '10.9.9.9' })
	},
	{
		kind: 'values',
		name: 'a range the wrong way round',
		plant: (site) =>
			void Object.assign(front(site).values, {
				lan_first: inBlock(site.index, 0, '199'),
				lan_last: inBlock(site.index, 0, '50')
			})
	},
	{
		kind: 'values',
		name: 'two networks of its own that overlap',
		plant: (site) => void Object.assign(site.values, { lan: inBlock(site.index, 1, '0/24') })
	},
	{
		kind: 'values',
		name: 'a way out that lies elsewhere',
		// Whether what is behind the gateway is through before it is cut off with it goes by which was faster
		shape: { points: 0, hasSwitch: false },
		plant: (site) => {
			site.uplink = 'fibre';
			Object.assign(site.values, { uplink_address: '198.51.100.10/29', uplink_gateway: '198.51.100.200' });
		}
	},
	{
		kind: 'cabling',
		name: 'an access point in a port without power',
		shape: { points: 1 },
		plant: (site) => (site.plug = { point: 'ap-1', into: front(site).name, port: 'lan' })
	},
	{
		kind: 'cabling',
		name: 'an access point in a switch’s port without power',
		shape: { points: 1, hasSwitch: true },
		plant: (site) => (site.plug = { point: 'ap-1', into: 'sw-1', port: 'ap_feed_5' })
	},
	{
		kind: 'versions',
		name: 'a word that an old gateway does not know',
		plant: (site) => {
			Object.assign(front(site), {
				profile: front(site).role === 'gateway' ? 'Plain gateway' : 'Kiosk router',
				version: oldOf(front(site).model)
			});
		}
	},
	{
		kind: 'versions',
		name: 'a word that an old access point does not know',
		shape: { points: 1 },
		plant: (site) =>
			void Object.assign(placeIn(site, 'Indoor access point')!, { profile: 'Plain point', version: '2.5.4' })
	},
	{
		kind: 'versions',
		name: 'no image',
		plant: (site) =>
			void Object.assign(front(site), { profile: 'Ahead gateway', role: 'gateway', model: 'OG-2' })
	},
	{
		kind: 'versions',
		name: 'an image that is too large',
		shape: { hasSwitch: true },
		plant: (site) => void Object.assign(placeIn(site, 'Access switch')!, { profile: 'Large switch' })
	},
	{
		kind: 'secrets',
		name: 'a secret renewed since the hub was told',
		plant: (site) => (site.isSecretRenewed = true)
	},
	{
		kind: 'hub',
		name: 'a tunnel that the hub was not told of',
		plant: (site) => (site.tunnel = 'after the hub')
	},
	{
		kind: 'hub',
		name: 'a hub that is away',
		plant: (site) => (site.tunnel = 'to a hub that is away')
	}
] as const;

/** A generator of 32 bits (mulberry32): a seed gives the same worlds. */
export function randomOf(seed: number): <One>(from: readonly One[]) => One {
	let state = seed | 0;
	return (from) => {
		state = (state + 0x6d2b79f5) | 0;
		let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
		mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
		return from[((mixed ^ (mixed >>> 14)) >>> 0) % from.length]!;
	};
}

export function randomSite(
	pick: ReturnType<typeof randomOf>,
	prefix: string,
	index: number,
	plant: Plant | null
): Made {
	const name = `${prefix} ${String(index).padStart(3, '0')}`;
	const shape = plant?.shape ?? {};
	const model = pick(['VT-120', 'VT-340', 'OG-2', 'OG-8']);
	const isRouter = model.startsWith('VT');
	const hasSwitch = shape.hasSwitch ?? pick([false, false, true]);
	const points = shape.points ?? pick([0, 1, 2]);
	const place = (
		own: string,
		role: string,
		profile: string,
		of: string,
		versions: readonly (string | null)[]
	): Place => ({
		customer: '',
		site: name,
		name: own,
		role,
		profile,
		values: { hostname: `t${index}-${own}` },
		model: of,
		version: pick(versions)
	});
	const uplink = pick(['fibre', 'fibre', 'dsl', 'cellular'] as const);
	const isFixed = uplink === 'fibre' && pick([true, false]);
	return {
		index,
		name,
		uplink,
		values: {
			networks: `${block(index)}.0/22`,
			...(isFixed && {
				uplink_address: `198.18.${index & 255}.2/30`,
				uplink_gateway: `198.18.${index & 255}.1`
			})
		},
		places: [
			isRouter
				? place('rt-1', 'router', 'Bakery router', model, ['4.0.7', '4.2.1', null])
				: place('gw-1', 'gateway', 'Clinic gateway', model, ['6.5.0', '6.8.2', '7.0.3', null]),
			...(hasSwitch ? [place('sw-1', 'switch', 'Access switch', 'BW-8P', ['3.0.5', '3.1.0'])] : []),
			...Array.from({ length: points }, (_, at) =>
				place(`ap-${at + 1}`, 'access-point', 'Indoor access point', pick(['LF-6', 'LF-6X']), [
					'2.5.4',
					'2.6.0',
					null
				])
			)
		],
		tunnel: 'before the hub',
		isSecretRenewed: false,
		after: null,
		plug: null
	};
}
