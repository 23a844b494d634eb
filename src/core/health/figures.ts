/**
 * What is known of how a unit does, in figures. One that is about a part of the unit (a port, a tunnel) carries the part's
 * name behind a colon: `received:ge0/1`.
 */
interface Kind {
	readonly words: string;
	readonly unit: '%' | '°C' | 'dBm' | 'ms' | 's' | 'bit/s' | '/s' | '';
	/** What is worse: much of it, or little. */
	readonly worse?: 'high' | 'low';
	readonly of?: 'port' | 'tunnel';
	/** What a unit says of it outside of these is no figure. */
	readonly least: number;
	readonly most: number;
}
/** 400 Gbit/s: no port of a branch is faster. */
const FASTEST = 4e11;

export const FIGURES = {
	connected: { words: 'connected', unit: '%', worse: 'low', least: 0, most: 100 },
	trip: { words: 'round trip', unit: 'ms', worse: 'high', least: 0, most: 600_000 },
	processor: { words: 'processor', unit: '%', worse: 'high', least: 0, most: 100 },
	memory: { words: 'memory', unit: '%', worse: 'high', least: 0, most: 100 },
	temperature: { words: 'temperature', unit: '°C', worse: 'high', least: -100, most: 250 },
	signal: { words: 'cellular signal', unit: 'dBm', worse: 'low', least: -200, most: 0 },
	clients: { words: 'radio clients', unit: '', worse: 'high', least: 0, most: 1e6 },
	uptime: { words: 'since its start', unit: 's', least: 0, most: 4e9 },
	received: { words: 'received', unit: 'bit/s', of: 'port', worse: 'high', least: 0, most: FASTEST },
	sent: { words: 'sent', unit: 'bit/s', of: 'port', worse: 'high', least: 0, most: FASTEST },
	errors: { words: 'errors', unit: '/s', of: 'port', worse: 'high', least: 0, most: 1e9 },
	port: { words: 'port up', unit: '%', of: 'port', worse: 'low', least: 0, most: 100 },
	tunnel: { words: 'tunnel up', unit: '%', of: 'tunnel', worse: 'low', least: 0, most: 100 }
} as const satisfies Readonly<Record<string, Kind>>;
export type Figure = keyof typeof FIGURES;
export const FIGURE_NAMES = Object.keys(FIGURES) as readonly Figure[];
export const figureKind = (figure: Figure): Kind => FIGURES[figure];

/** Figures by their keys. */
export type Figures = Readonly<Record<string, number>>;
export const keyOf = (figure: Figure, part?: string): string =>
	part === undefined ? figure : `${figure}:${part}`;

/** What a key is about; null for what is no figure. */
export function readKey(key: string): { readonly figure: Figure; readonly part: string | null } | null {
	const [, figure = '', part] = /^([a-z]+)(?::([^]+))?$/.exec(key) ?? [];
	if (!Object.hasOwn(FIGURES, figure)) return null;
	const isOfPart = figureKind(figure as Figure).of !== undefined;
	return isOfPart === (part !== undefined) ? { figure: figure as Figure, part: part ?? null } : null;
}

/** A key as people say it: `received, ge0/1`. */
export function keyWords(key: string): string {
	const read = readKey(key);
	if (read === null) return key;
	const { words } = FIGURES[read.figure];
	return read.part === null ? words : `${words}, ${read.part}`;
}

const PREFIXES = ['', 'k', 'M', 'G', 'T'];
/** A figure as people read it: `23 %`, `1.4 Mbit/s`, `-87 dBm`; three digits at most where there is a fraction. */
export function figureWords(figure: Figure, value: number): string {
	const { unit } = figureKind(figure);
	if (unit === 'bit/s') {
		const size = value < 1000 ? 0 : Math.min(PREFIXES.length - 1, Math.floor(Math.log10(value) / 3));
		return `${short(value / 1000 ** size)} ${PREFIXES[size]}bit/s`;
	}
	// Nearly all is not all
	if (unit === '%' && value > 99 && value < 100) return `${Math.floor(value * 100) / 100} %`;
	return `${short(value)}${unit === '' ? '' : unit === '/s' ? ' /s' : ` ${unit}`}`;
}
const short = (value: number): string => {
	const digits = Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2;
	return String(Number(value.toFixed(digits)));
};
