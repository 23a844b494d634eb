import type { Finding, Touches } from '$core/drift';

/** What a finding is, as a person would say it. */
export const KIND_WORDS: Readonly<Record<Finding['kind'], string>> = {
	missing: 'is missing',
	extra: 'is too much',
	changed: 'is another',
	order: 'stands elsewhere',
	unsaved: 'is not saved'
};
export const TOUCH_WORDS: Readonly<Record<Touches, string>> = {
	uplink: 'touches the way out',
	security: 'touches secrets or openings',
	management: 'touches how it is managed',
	access: 'touches who gets in',
	'nothing of these': 'touches none of the vital parts'
};
/** Those that a person looks at first. */
export const isGrave = (touches: Touches): boolean => touches === 'uplink' || touches === 'security';

export const HOW_WORDS = {
	first: 'found when it was read first',
	run: 'given when it came online',
	send: 'sent',
	back: 'gone back to by itself',
	outside: 'changed outside of Limen'
} as const;

/** Why a unit does not run what it would be sent now. */
export const WHY_BEHIND = {
	revision: 'an older revision of its profile',
	values: 'a value was changed',
	firmware: 'its firmware is not the target'
} as const;
