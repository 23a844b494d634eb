/** What is known that can speak against a unit at a position. */
export interface PairingClues {
	/** The position's site. */
	readonly siteName: string;
	/** The site that the unit's delivery note named, when it is another. */
	readonly shippedTo: string | null;
	/**
	 * The unit has called, from a network whose other callers are all at one other site: its name and how
	 * far it is, when both places are known.
	 */
	readonly heardAt: {
		readonly address: string;
		readonly siteName: string;
		readonly kilometres: number | null;
	} | null;
}

/** Sites nearer to each other than this may well share a provider's network. */
const SAME_REGION_KM = 30;

/**
 * What speaks against binding a unit to a position, in words; empty when nothing does. None of it forbids
 * the binding: notes and networks can be wrong, and people know more.
 * Law: more distance never takes a warning away.
 */
export function pairingWarnings({ siteName, shippedTo, heardAt }: PairingClues): readonly string[] {
	const warnings: string[] = [];
	if (shippedTo !== null) warnings.push(`It was shipped to ${shippedTo}, not to ${siteName}.`);
	if (heardAt !== null && (heardAt.kilometres === null || heardAt.kilometres >= SAME_REGION_KM))
		warnings.push(
			`It calls from ${heardAt.address}, like the units of ${heardAt.siteName}${heardAt.kilometres === null ? '' : `, ${Math.round(heardAt.kilometres)} km away`}.`
		);
	return warnings;
}
