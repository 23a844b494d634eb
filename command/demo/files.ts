import { readFileSync } from 'node:fs';
import Papa from 'papaparse';

/** The open files under demo/, and who brings in what they say. */
export const file = (name: string) => readFileSync(new URL(`../../demo/${name}`, import.meta.url), 'utf8');
export const rows = (name: string) =>
	Papa.parse<Record<string, string>>(file(name), { header: true, skipEmptyLines: true }).data;
export const INES = { name: 'Ines Okafor', address: null, may: () => true };
export const MAREN = { name: 'Maren Aldous', address: null, may: () => true };

export const HUB = 'hub-1';
const hubSites = new Set(rows('positions.csv').flatMap((row) => (row.position === HUB ? [row.site] : [])));
export const hubSerials: readonly string[] = rows('bindings.csv').flatMap(({ position, serial }) =>
	position === HUB ? [serial!] : []
);
export const isHubSite = (row: Record<string, string>): boolean => hubSites.has(row.site);

