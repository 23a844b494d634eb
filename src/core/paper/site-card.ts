import { USUAL_SECONDS } from '../onboarding';
import type { Cable } from '../plan';

/** What a light of a model shows and means, as somebody who has never seen one would say it. */
export interface Light {
	readonly shows: string;
	readonly means: string;
}
/** A position of a site, as far as its card tells of it. */
export interface CardPosition {
	readonly id: string;
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
export type CardUplink = keyof typeof FROM_OUTSIDE;

const MINUTE = 60_000;
/** Somebody who waits is better told five minutes too many. */
const ROUND_TO = 5;

/**
 * The card for whoever plugs the boxes in: those with a way outside first, then what hangs on them, each
 * with its steps in plain words.
 * What is plugged in alike stands together, so that a card is one page.
 * Laws: each position stands in one box; each cable is told once, at the box that hangs on the other; a port is named
 * only when the model has it; the minutes are those that runs are watched by.
 */
export function siteCard(
	uplink: CardUplink,
	positions: readonly CardPosition[],
	cables: readonly Cable[]
): SiteCard {
	const ordered = [...positions].sort((a, b) => rankOf(a) - rankOf(b) || (a.name < b.name ? -1 : 1));
	const models = new Map(ordered.flatMap(({ model }) => (model ? [[model.name, model] as const] : [])));
	const sum = Object.values(USUAL_SECONDS).reduce((all, one) => all + 2 * one, 0) * 1000;
	return {
		boxes: boxesOf(ordered, uplink, cables),
		minutes: Math.ceil(sum / MINUTE / ROUND_TO) * ROUND_TO,
		lights: [...models.values()]
			.filter(({ lights }) => lights.length > 0)
			.map(({ name, lights }) => ({ modelName: name, lights }))
	};
}

/** Boxes with a way outside come first, then switches, then what hangs on them. */
const rankOf = ({ roleId }: CardPosition): number =>
	roleId === 'access-point' ? 2 : roleId === 'switch' ? 1 : 0;

/** What hangs on another box, and where. */
interface Hanging {
	readonly port: string;
	readonly far: CardPosition;
	readonly farPort: string;
}

/** Boxes that are plugged in alike, each with what it hangs on. */
interface Alike {
	readonly members: CardPosition[];
	readonly hanging: Map<string, readonly Hanging[]>;
	readonly outside: readonly string[];
}

function boxesOf(
	ordered: readonly CardPosition[],
	uplink: CardUplink,
	cables: readonly Cable[]
): readonly CardBox[] {
	const byId = new Map(ordered.map((one) => [one.id, one]));
	const boxes = new Map<string, Alike>();
	for (const position of ordered) {
		const own = cables.filter(({ near }) => near.positionId === position.id);
		const outside = own.filter(({ far }) => far === null).map(({ near }) => near.port);
		const hanging = own.flatMap(({ near, far }): Hanging[] => {
			const other = far && byId.get(far.positionId);
			return other ? [{ port: near.port, far: other, farPort: far.port }] : [];
		});
		// Alike but for the port at the other end
		const alike = JSON.stringify([
			position.roleId,
			position.model?.name,
			outside,
			hanging.map(({ port, far }) => [port, far.id]),
			...(rankOf(position) === 2 ? [] : [position.id])
		]);
		const box: Alike = boxes.get(alike) ?? { members: [], hanging: new Map(), outside };
		box.members.push(position);
		box.hanging.set(position.id, hanging);
		boxes.set(alike, box);
	}
	return [...boxes.values()].map(({ members, hanging, outside }) => {
		const [first] = members as [CardPosition];
		return {
			title: `${first.roleName[0]!.toUpperCase()}${first.roleName.slice(1)}`,
			positions: members.map(({ name, serial }) => ({ name, serial })),
			steps: [
				...outsideSteps(first, uplink, outside),
				...hangingSteps(members, hanging),
				rankOf(first) === 2
					? 'Put it where its cable reaches, not in a cupboard.'
					: 'Plug in its power. Use its own power supply.'
			],
			model: first.model,
			uplinkPort: first.model?.ports.uplink ?? null,
			portWords: portWords(first, byId, cables)
		};
	});
}

const marked = ({ model }: CardPosition, port: string): string | null => {
	const name = model?.ports[port];
	return name ? `the port marked ${name}` : null;
};

function outsideSteps(position: CardPosition, uplink: CardUplink, ports: readonly string[]): string[] {
	const into = (port: string) => marked(position, port) ?? 'its port for the outside';
	if (uplink === 'cellular' && rankOf(position) === 0)
		return [`It needs no cable from outside: there is a SIM card in it. Leave ${into('uplink')} empty.`];
	return ports.map((port) => `Plug ${FROM_OUTSIDE[uplink]} into ${into(port)}.`);
}

/** Where the cables of boxes that hang on others go: the same but for the port at the other end. */
function hangingSteps(
	members: readonly CardPosition[],
	hanging: ReadonlyMap<string, readonly Hanging[]>
): string[] {
	const [first] = members as [CardPosition];
	const cables = hanging.get(first.id)!;
	if (cables.length === 0 && rankOf(first) > 0)
		return [`Plug its cable into ${marked(first, 'uplink') ?? 'its port'} and into the network socket.`];
	return cables.map(({ port, far }, index) => {
		const ends = members.map((member) => {
			const farPort = hanging.get(member.id)![index]!.farPort;
			return { name: member.name, at: marked(far, farPort) };
		});
		const other = `the ${far.roleName} ${far.name}`;
		const own = marked(first, port) ?? 'its port';
		if (ends.some(({ at }) => at === null))
			return `Plug one end of its cable into ${own}, the other into ${other}.`;
		return ends.length === 1
			? `Plug one end of its cable into ${own}, the other into ${ends[0]!.at} of ${other}.`
			: `Plug one end of its cable into ${own}, the other into ${other}: ${ends.map(({ name, at }) => `${name} into ${at}`).join(', ')}.`;
	});
}

/** What goes into each port of a box that something hangs on. */
function portWords(
	{ id }: CardPosition,
	byId: ReadonlyMap<string, CardPosition>,
	cables: readonly Cable[]
): Readonly<Record<string, string>> {
	const words: Record<string, string> = {};
	for (const { near, far } of cables) {
		if (near.positionId === id) words[near.port] = far ? 'its cable' : 'from outside';
		if (far?.positionId === id) words[far.port] = byId.get(near.positionId)?.name ?? '';
	}
	return words;
}
