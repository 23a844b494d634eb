/**
 * How to read a unit of each maker over its command line: one driver per maker, small on purpose.
 * A reading is what the unit printed; `version` is cut out of it.
 */
export interface Driver {
	readonly versionCommand: string;
	readonly version: (printed: string) => string | null;
	readonly configurationCommand: string;
}

const firstMatch = (pattern: RegExp) => (printed: string) => pattern.exec(printed)?.[1] ?? null;

const DRIVERS: Readonly<Record<string, Driver>> = {
	veltrane: {
		versionCommand: 'print release',
		version: firstMatch(/^release: (\S{1,64})$/m),
		configurationCommand: 'print configuration running'
	},
	okapira: {
		versionCommand: 'tell release',
		version: firstMatch(/^running release (\S{1,64});$/m),
		configurationCommand: 'tell configuration'
	},
	lumenfold: {
		versionCommand: 'get /system/release',
		version: firstMatch(/^\s*"([^"\s]{1,64})"\s*$/),
		configurationCommand: 'get /configuration'
	}
};

export const driverOf = (makerId: string): Driver | null =>
	Object.hasOwn(DRIVERS, makerId) ? DRIVERS[makerId]! : null;
