/**
 * How to read a unit of each maker over its command line: one driver per maker, small on purpose.
 * A reading is what the unit printed; `version` is cut out of it.
 */
export interface Driver {
	readonly versionCommand: string;
	readonly version: (printed: string) => string | null;
	readonly configurationCommand: string;
	readonly serialCommand: string;
	readonly serial: (printed: string) => string | null;
}

const firstMatch = (pattern: RegExp) => (printed: string) => pattern.exec(printed)?.[1] ?? null;

const DRIVERS: Readonly<Record<string, Driver>> = {
	veltrane: {
		versionCommand: 'print release',
		version: firstMatch(/^release: (\S{1,64})$/m),
		configurationCommand: 'print configuration running',
		serialCommand: 'print chassis',
		serial: firstMatch(/^chassis: (\S{1,64})$/m)
	},
	okapira: {
		versionCommand: 'tell release',
		version: firstMatch(/^running release (\S{1,64});$/m),
		configurationCommand: 'tell configuration',
		serialCommand: 'tell chassis',
		serial: firstMatch(/^serial number (\S{1,64});$/m)
	},
	lumenfold: {
		versionCommand: 'get /system/release',
		version: firstMatch(/^\s*"([^"\s]{1,64})"\s*$/),
		configurationCommand: 'get /configuration',
		serialCommand: 'get /system/serial',
		serial: firstMatch(/^\s*"([^"\s]{1,64})"\s*$/)
	}
};

export const driverOf = (makerId: string): Driver | null =>
	Object.hasOwn(DRIVERS, makerId) ? DRIVERS[makerId]! : null;
