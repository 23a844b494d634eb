import { noImage, noWay, upgradePath, type FirmwareVersion } from './path';

/** An image of a firmware line. */
export interface KnownImage {
	readonly bytes: number;
	/** Why it is withdrawn; null when it may be used. */
	readonly withdrawn: string | null;
}
export type Way =
	{ readonly ok: true; readonly path: readonly string[] } | { readonly ok: false; readonly why: string };

const blocked = (why: string): Way => ({ ok: false, why });
const withdrawnWords = (version: string, why: string): string => `Version ${version} was withdrawn: ${why}`;
const noRoom = (version: string): string =>
	`The image of version ${version} is larger than what this model has room for.`;

/**
 * The way of one unit to a version, over images that are there, are not withdrawn and for which it has room (`room` in
 * bytes, null where any is); else in a sentence why there is none. Of the version that it runs no image is needed, and
 * what already runs is never brought again: the way is empty.
 */
export function wayTo(
	versions: readonly FirmwareVersion[],
	images: ReadonlyMap<string, KnownImage>,
	room: number | null,
	from: string,
	to: string
): Way {
	if (from === to) return { ok: true, path: [] };
	const why = (version: string): string | null => {
		const image = images.get(version);
		if (!image) return noImage(version);
		if (image.withdrawn !== null) return withdrawnWords(version, image.withdrawn);
		return room !== null && image.bytes > room ? noRoom(version) : null;
	};
	const ofTarget = why(to);
	if (ofTarget !== null) return blocked(ofTarget);
	const path = upgradePath(versions, from, to, (version) => why(version) === null);
	if (path) return { ok: true, path };
	// Of the way that there would be, what is missing
	const [missing] = (upgradePath(versions, from, to) ?? []).flatMap((version) => why(version) ?? []);
	return blocked(missing ?? noWay(from, to));
}

/** Whether a version is older than another one by its line; null where the line does not know both. */
export function isOlder(versions: readonly FirmwareVersion[], one: string, other: string): boolean | null {
	const rank = (wanted: string) => versions.findIndex(({ version }) => version === wanted);
	const [a, b] = [rank(one), rank(other)];
	return a < 0 || b < 0 ? null : a < b;
}
