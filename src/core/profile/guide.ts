/**
 * The guided start: from a role and a few answers to the parts of a draft, in an order that works, each
 * marked as necessary, good practice or optional.
 */
export const PURPOSE_IDS = [
	'identity',
	'time',
	'uplink-fibre',
	'uplink-dsl',
	'uplink-cellular',
	'lan',
	'guest-network',
	'staff-wifi',
	'guest-wifi',
	'management',
	'way-in',
	'tunnel'
] as const;
/** What a part is for, as far as the guided start knows. */
export type PurposeId = (typeof PURPOSE_IDS)[number];

export const PURPOSE_WORDS: Readonly<Record<PurposeId, string>> = {
	identity: 'its name and place',
	time: 'the right time, names, and where messages go',
	'uplink-fibre': 'an uplink over fibre',
	'uplink-dsl': 'an uplink over DSL',
	'uplink-cellular': 'an uplink over cellular',
	lan: 'the site’s own network',
	'guest-network': 'a network for guests',
	'staff-wifi': 'Wi-Fi for staff',
	'guest-wifi': 'Wi-Fi for guests',
	management: 'how Limen gets in',
	'way-in': 'Limen’s way in, beside others',
	tunnel: 'a tunnel to the hub'
};

/** The kinds of uplink that a site can have. */
export const UPLINK_KINDS = ['fibre', 'dsl', 'cellular'] as const;
export type UplinkKind = (typeof UPLINK_KINDS)[number];
/** How people write them. */
export const UPLINK_WORDS: Readonly<Record<UplinkKind, string>> = {
	fibre: 'fibre',
	dsl: 'DSL',
	cellular: 'cellular'
};

export interface Answers {
	readonly role: string;
	/** `any`: each site’s own kind decides. */
	readonly uplink: 'any' | UplinkKind;
	readonly guests: boolean;
	readonly tunnel: boolean;
}

export type Weight = 'necessary' | 'good practice' | 'optional';
export interface GuideStep {
	readonly purpose: PurposeId;
	readonly weight: Weight;
	/** Why. */
	readonly because: string;
}

/**
 * What a profile for these answers is made of, in the order of its text. Laws: whatever is answered there
 * is a name, a time source and a way in for Limen; a unit that routes has an uplink: the one that is answered, or
 * one for each kind, of which each site takes its own.
 */
export function stepsFor({ role, uplink, guests, tunnel }: Answers): readonly GuideStep[] {
	const routes = role !== 'access-point' && role !== 'switch';
	const step = (purpose: PurposeId, weight: Weight, because: string): GuideStep => ({
		purpose,
		weight,
		because
	});
	return [
		step('identity', 'necessary', 'A unit is found by its name.'),
		step('time', 'necessary', 'Without the right time certificates fail, and logs mean nothing.'),
		...(routes
			? [
					...(uplink === 'any' ? UPLINK_KINDS : [uplink]).map((kind) =>
						step(`uplink-${kind}`, 'necessary', 'Without an uplink nothing reaches it.')
					),
					step('lan', 'necessary', 'It is what the site is connected for.'),
					...(guests
						? [step('guest-network', 'good practice', 'Guests reach the internet and nothing else.')]
						: [])
				]
			: [
					step('staff-wifi', 'necessary', 'It is what an access point is for.'),
					...(guests
						? [step('guest-wifi', 'good practice', 'Guests are kept apart from each other and from staff.')]
						: [])
				]),
		step('management', 'necessary', 'Without it Limen cannot prove, watch or mend the unit.'),
		...(routes && tunnel ? [step('tunnel', 'optional', 'The site reaches what lies behind the hub.')] : [])
	];
}

/** Which part of the library serves each step; null where the library has none. */
export function partsFor<Part extends { readonly purpose: PurposeId | null; readonly name: string }>(
	steps: readonly GuideStep[],
	library: readonly Part[]
): readonly (GuideStep & { readonly part: Part | null })[] {
	return steps.map((step) => ({
		...step,
		part: library.find(({ purpose }) => purpose === step.purpose) ?? null
	}));
}
