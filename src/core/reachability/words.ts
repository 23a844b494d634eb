import type { Path } from './places';

const WORDS: Readonly<Record<Path, string>> = {
	direct: 'directly',
	hub: 'by way of the hub',
	other: 'by another way',
	none: 'not reached',
	unread: 'could not be read'
};
/** A path in a word or some, as lists and legends say it. */
export const pathWords = (path: Path | null): string => (path === null ? 'not looked at yet' : WORDS[path]);
