import * as v from 'valibot';
import { KeptFile } from '../kept-file';
import { Fabric } from '../network/fabric';
import type { Plug } from '../network/station';
import { FAULTS, type Fault, type Flash } from '../units/flash';
import { newHostKey } from '../units/home';
import { MAKERS } from '../units/makers';
import type { World } from '../units/self';
import { Unit } from '../units/unit';

/** The units the yard begins with: a file made by hand, in which only the label is required. */
const yardFileSchema = v.array(
	v.object({
		serial: v.string(),
		mac: v.string(),
		claimCode: v.string(),
		model: v.string(),
		maker: v.picklist(Object.keys(MAKERS)),
		version: v.string(),
		/** The loopback address that it calls from, as a site has one of its provider's; the machine's own when left out. */
		line: v.optional(v.pipe(v.string(), v.regex(/^127(\.\d{1,3}){3}$/))),
		powered: v.optional(v.boolean(), false),
		/** It listens at its line, at the yard's port for that, for the accounts in its configuration. */
		listens: v.optional(v.boolean(), false),
		/** What somebody configured before it came here. */
		configuration: v.optional(v.nullable(v.string()), null),
		/** What its neighbours are that are no units of the yard. */
		beside: v.optional(
			v.array(
				v.object({
					port: v.string(),
					chassis: v.string(),
					neighbourPort: v.optional(v.string(), ''),
					name: v.optional(v.string(), ''),
					description: v.optional(v.string(), ''),
					address: v.optional(v.string(), '')
				})
			),
			[]
		),
		/** Into which port of which other somebody plugged its cable. */
		plug: v.optional(v.nullable(v.object({ serial: v.string(), port: v.string() })), null),
		faults: v.optional(v.array(v.picklist(Object.keys(FAULTS) as [Fault, ...Fault[]])), []),
		/** What somebody types at its console some time after it came online. */
		tweaks: v.optional(
			v.array(v.object({ words: v.string(), over: v.optional(v.string()), by: v.optional(v.string()) })),
			[]
		),
		/** Slower or faster than the yard's own pace, by this factor. */
		slowness: v.optional(v.number(), 1)
	})
);

interface Kept {
	readonly flash: Flash;
	readonly power: boolean;
	readonly cable: Unit['cable'];
	readonly faults: Fault[];
	readonly carriedTo?: string | null;
	readonly plug?: Plug | null;
}

/** All units, and their flash on disk: a stand-in that is restarted is as a unit that lost power. */
export class Yard {
	readonly units = new Map<string, Unit>();
	readonly fabric: Fabric<Unit>;
	private settling: NodeJS.Immediate | undefined;
	private readonly file: KeptFile<Record<string, Kept>>;
	private readonly kept: Readonly<Record<string, Kept>>;
	private readonly world: World;

	constructor(file: unknown, path: string, world: World) {
		this.file = new KeptFile(path, () => this.now());
		this.kept = this.file.read() ?? {};
		this.world = world;
		this.fabric = new Fabric(() => this.units.values(), world.pace);
		for (const one of v.parse(yardFileSchema, file)) this.add(one);
	}

	/** Another unit, as it came out of its maker's box, or as it was when the yard was last here. */
	private add({
		version,
		powered,
		faults,
		slowness,
		plug,
		tweaks,
		configuration,
		...label
	}: v.InferOutput<typeof yardFileSchema>[number]): void {
		const before = this.kept[label.serial];
		const flash = before?.flash ?? { version, configuration, hostKey: newHostKey() };
		const unit = new Unit(
			label,
			flash,
			{ ...this.world, pace: this.world.pace * slowness },
			this.fabric,
			() => this.changed(),
			tweaks
		);
		unit.cable = before?.cable ?? 'uplink';
		unit.carriedTo = before?.carriedTo ?? null;
		unit.plug = before ? (before.plug ?? null) : plug;
		for (const fault of before?.faults ?? faults) unit.faults.add(fault);
		this.units.set(label.serial, unit);
		if (before?.power ?? powered) unit.switchOn();
	}

	/** Brings more units into the yard; those that are there already stay as they are. */
	bring(file: unknown): void {
		for (const one of v.parse(yardFileSchema, file)) if (!this.units.has(one.serial)) this.add(one);
	}

	mayHaveLease(mac: string): boolean {
		const unit = [...this.units.values()].find(({ label }) => label.mac === mac);
		return unit !== undefined && unit.power && unit.cable === 'uplink' && !unit.faults.has('no-lease');
	}

	keep(): void {
		this.file.keep();
	}

	private now(): Record<string, Kept> {
		const kept: Record<string, Kept> = {};
		for (const [serial, { flash, power, cable, faults, carriedTo, plug }] of this.units)
			kept[serial] = { flash, power, cable, faults: [...faults], carriedTo, plug };
		return kept;
	}

	/** Something is otherwise: what follows from it in the network follows, and it is kept. */
	changed(): void {
		this.settling ??= setImmediate(() => {
			this.settling = undefined;
			for (const unit of this.units.values())
				unit.settle(this.fabric.isFed(unit), this.fabric.hasWayOut(unit));
			this.fabric.look();
		});
		this.file.changed();
	}
}
