import { unzipSync } from 'fflate';
import { SaxesParser, type SaxesTagNS } from 'saxes';

export const LARGEST_UNPACKED = 120 * 1024 * 1024;
const LARGEST_SMALL_PART = 8 * 1024 * 1024;
/** What is wrong with a file, in words for whoever sent it. */
export class Unreadable extends Error {}

/** The named parts of the archive. What its directory says a part holds is the most that is unpacked of it. */
export function unpack(
	content: Uint8Array,
	names: readonly string[],
	most: number
): ReadonlyMap<string, Uint8Array> {
	let size = 0;
	const found = unzipSync(content, {
		filter: ({ name, originalSize }) => {
			if (!names.includes(name)) return false;
			size += originalSize;
			if (size > most)
				throw new Unreadable('This XLSX file is far larger inside than any list. Save it as CSV.');
			return true;
		}
	});
	return new Map(Object.entries(found));
}

export const small = (content: Uint8Array, name: string): Uint8Array | null =>
	unpack(content, [name], LARGEST_SMALL_PART).get(name) ?? null;

const CHUNK = 64 * 1024;

/** Walks a part of XML, a piece at a time, so that who listens can stop it early. */
export function walk(
	part: Uint8Array | null,
	hear: {
		readonly open: (name: string, tag: SaxesTagNS, path: readonly string[]) => void;
		readonly text?: (text: string, path: readonly string[]) => void;
		readonly close?: (name: string, path: readonly string[]) => void;
	}
): void {
	if (!part) return;
	const parser = new SaxesParser({ xmlns: true });
	const path: string[] = [];
	parser.on('error', (error) => {
		throw error;
	});
	parser.on('doctype', () => {
		throw new Unreadable('This XLSX file holds what no spreadsheet writes.');
	});
	parser.on('opentag', (tag) => {
		path.push(tag.local);
		if (path.length > 64) throw new Unreadable('This XLSX file holds what no spreadsheet writes.');
		hear.open(tag.local, tag, path);
	});
	const text = (words: string) => hear.text?.(words, path);
	parser.on('text', text);
	parser.on('cdata', text);
	parser.on('closetag', ({ local }) => {
		hear.close?.(local, path);
		path.pop();
	});
	const decoder = new TextDecoder('utf-8', { fatal: true });
	for (let at = 0; at < part.length; at += CHUNK)
		parser.write(decoder.decode(part.subarray(at, at + CHUNK), { stream: true }));
	parser.write(decoder.decode()).close();
}

/** An attribute by its local name: writers differ in their prefixes. */
export const attribute = (tag: SaxesTagNS, name: string): string | undefined =>
	Object.values(tag.attributes).find(({ local }) => local === name)?.value;

interface Relation {
	readonly id: string;
	readonly type: string;
	readonly target: string;
}
export function relations(part: Uint8Array | null, folder: string): readonly Relation[] {
	const found: Relation[] = [];
	walk(part, {
		open: (name, tag) => {
			if (name !== 'Relationship' || attribute(tag, 'TargetMode') === 'External') return;
			const target = attribute(tag, 'Target') ?? '';
			found.push({
				id: attribute(tag, 'Id') ?? '',
				type: attribute(tag, 'Type') ?? '',
				target: target.startsWith('/') ? target.slice(1) : resolved(folder + target)
			});
		}
	});
	return found;
}

const resolved = (path: string): string => new URL(path, 'zip:///').pathname.slice(1);
