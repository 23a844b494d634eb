import { NORMAL_DURATION } from '../onboarding';

/** What a light of a model shows and means, as somebody who has never seen one would say it. */
export interface Light {
	readonly shows: string;
	readonly means: string;
}
/** A position of a site, as far as its card tells of it. */
export interface CardPosition {
	readonly name: string;
	readonly roleId: string;
	readonly roleName: string;
	/** Null while no unit is bound. */
	readonly model: {
		readonly name: string;
		/** From each port role to the model's own name of the port. */
		readonly ports: Readonly<Record<string, string>>;
		readonly lights: readonly Light[];
	} | null;
	readonly serial: string | null;
}
/** A box to plug in, or several that are plugged in alike. */
export interface CardBox {
	readonly title: string;
	readonly positions: readonly { readonly name: string; readonly serial: string | null }[];
	/** What to do with each, in order. */
	readonly steps: readonly string[];
	readonly model: CardPosition['model'];
	/** The port in which the cable from outside goes, by its printed name. */
	readonly uplinkPort: string | null;
	/** What goes into a port, by its role. */
	readonly portWords: Readonly<Record<string, string>>;
}
export interface SiteCard {
	readonly boxes: readonly CardBox[];
	/** How long it takes when all is well, in minutes. */
	readonly minutes: number;
	/** What the lights mean, each model once. */
	readonly lights: readonly { readonly modelName: string; readonly lights: readonly Light[] }[];
}

const FROM_OUTSIDE = {
	fibre: 'the cable from the fibre box on the wall',
	dsl: 'the cable from the telephone socket',
	cellular: 'nothing: it has a SIM card inside and needs no cable from outside'
} as const;
const GATEWAY_PORTS = { uplink: 'from outside', lan: 'your network', ap_feed: 'access points' };
const POINT_PORTS = { uplink: 'its cable' };
export type CardUplink = keyof typeof FROM_OUTSIDE;

const MINUTE = 60_000;
/** Somebody who waits is better told five minutes too many. */
const ROUND_TO = 5;

/**
 * The card for whoever plugs the boxes in: those with a way outside first, then what hangs on them, each
 * with its steps in plain words.
 * What is plugged in alike stands together, so that a card is one page.
 * Laws: each position stands in one box; a port is named only when the model has it; the minutes are those that
 * runs are watched by.
 */
export function siteCard(uplink: CardUplink, positions: readonly CardPosition[]): SiteCard {
	const ordered = [...positions].sort(
		(a, b) => Number(isPoint(a)) - Number(isPoint(b)) || (a.name < b.name ? -1 : 1)
	);
	const first = ordered.find((one) => !isPoint(one)) ?? null;
	const models = new Map(ordered.flatMap(({ model }) => (model ? [[model.name, model] as const] : [])));
	const sum = Object.values(NORMAL_DURATION).reduce<number>((all, one) => all + (one ?? 0), 0);
	return {
		boxes: boxesOf(ordered, uplink, first),
		minutes: Math.ceil(sum / MINUTE / ROUND_TO) * ROUND_TO,
		lights: [...models.values()]
			.filter(({ lights }) => lights.length > 0)
			.map(({ name, lights }) => ({ modelName: name, lights }))
	};
}

const isPoint = ({ roleId }: CardPosition): boolean => roleId === 'access-point';

function boxesOf(
	ordered: readonly CardPosition[],
	uplink: CardUplink,
	first: CardPosition | null
): readonly CardBox[] {
	const boxes = new Map<string, CardBox>();
	for (const position of ordered) {
		const { name, serial, roleName, model } = position;
		const steps = isPoint(position) ? pointSteps(position, first) : gatewaySteps(position, uplink);
		const alike = [roleName, model?.name ?? '', ...steps].join('\n');
		const before = boxes.get(alike);
		boxes.set(alike, {
			title: `${roleName[0]!.toUpperCase()}${roleName.slice(1)}`,
			positions: [...(before?.positions ?? []), { name, serial }],
			steps,
			model,
			uplinkPort: model?.ports.uplink ?? null,
			portWords: isPoint(position) ? POINT_PORTS : GATEWAY_PORTS
		});
	}
	return [...boxes.values()];
}

const port = (position: CardPosition | null, role: string): string => {
	const name = position?.model?.ports[role];
	return name ? `the port marked ${name}` : '';
};

function gatewaySteps(position: CardPosition, uplink: CardUplink): string[] {
	const into = port(position, 'uplink') || 'its port for the outside';
	return [
		uplink === 'cellular'
			? `It needs no cable from outside: there is a SIM card in it. Leave ${into} empty.`
			: `Plug ${FROM_OUTSIDE[uplink]} into ${into}.`,
		'Plug in its power. Use its own power supply.'
	];
}

function pointSteps(position: CardPosition, first: CardPosition | null): string[] {
	const own = port(position, 'uplink') || 'its port';
	const other = port(first, 'ap_feed');
	return [
		first
			? `Plug one end of its cable into ${own}, the other into ${other ? `${other} of the ${first.roleName} ${first.name}` : `the ${first.roleName} ${first.name}`}.`
			: `Plug its cable into ${own} and into the network socket.`,
		'Put it where its cable reaches, not in a cupboard.'
	];
}
