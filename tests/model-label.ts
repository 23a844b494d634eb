import { randomBytes, randomInt } from 'node:crypto';
import { checkCharacter } from '../src/core/intake';

/** How the serial numbers of each model are made, and a firmware that is behind its target. */
const MADE = {
	'VT-120': {
		maker: 'veltrane',
		body: (n: string) => `VTB${n.slice(-4)}${n.slice(-8, -4)}`,
		check: 'iso7064-mod-37-36',
		version: '4.0.7'
	},
	'VT-340': {
		maker: 'veltrane',
		body: (n: string) => `VTD${n.slice(-4)}${n.slice(-8, -4)}`,
		check: 'iso7064-mod-37-36',
		version: '4.0.7'
	},
	'OG-2': {
		maker: 'okapira',
		body: (n: string) => `OG2K${n.slice(-7)}`,
		check: 'iso7064-mod-37-36',
		version: '6.8.2'
	},
	'OG-8': {
		maker: 'okapira',
		body: (n: string) => `OG8K${n.slice(-7)}`,
		check: 'iso7064-mod-37-36',
		version: '6.8.2'
	},
	'BW-8P': {
		maker: 'brackwater',
		body: (n: string) => `BW8P${n.slice(-7)}`,
		check: 'iso7064-mod-37-36',
		version: '3.0.5'
	},
	'BW-24P': {
		maker: 'brackwater',
		body: (n: string) => `BW24${n.slice(-7)}`,
		check: 'iso7064-mod-37-36',
		version: '3.0.5'
	},
	'LF-6': {
		maker: 'lumenfold',
		body: (n: string) => `61${n.slice(-9)}`,
		check: 'iso7064-mod-11-10',
		version: '2.5.4'
	},
	'LF-6X': {
		maker: 'lumenfold',
		body: (n: string) => `62${n.slice(-9)}`,
		check: 'iso7064-mod-11-10',
		version: '2.5.4'
	}
} as const;

/** What is printed on a new unit of a model, and the firmware it comes with. Each is another. */
export function newModelLabel(model: string) {
	const { maker, body, check, version } = MADE[model as keyof typeof MADE];
	const made = body(String(randomInt(1e9)).padStart(9, '0'));
	return {
		serial: made + checkCharacter(made, check),
		mac: `02:${[...randomBytes(5)].map((byte) => byte.toString(16).padStart(2, '0')).join(':')}`,
		claimCode: randomBytes(5).toString('hex').toUpperCase(),
		model,
		maker,
		version
	};
}
