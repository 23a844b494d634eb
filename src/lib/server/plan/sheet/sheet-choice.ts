import * as v from 'valibot';
import { may, type Capable } from '../../../../core/people';
import { SHEET_TARGETS, type SheetChoice } from './sheet';

const id = v.pipe(v.string(), v.uuid());
const LONGEST_MATCH = 100;

/**
 * Which sheet an address asks for; what makes no sense in it is left out. It holds only customers whose
 * configurations the person may read.
 */
export function sheetChoice(
	url: URL,
	{ person, customerId }: { readonly person: Capable | null; readonly customerId: string | null }
): Partial<SheetChoice> {
	const given = (name: string) => v.safeParse(id, url.searchParams.get(name));
	const [profile, customer, position] = [given('profile'), given('customer'), given('position')];
	return {
		...(profile.success && { profileId: profile.output }),
		customerId: customer.success ? customer.output : customerId,
		customers: person?.administrator
			? null
			: Object.keys(person?.duties ?? {}).filter((one) => person && may(person, 'see renderings', one)),
		...(position.success && { positionId: position.output }),
		match: url.searchParams.get('match')?.trim().replaceAll('\0', '').slice(0, LONGEST_MATCH) || null,
		at: SHEET_TARGETS.find((one) => one === url.searchParams.get('at')) ?? null,
		all: url.searchParams.has('all'),
		draft: url.searchParams.has('draft')
	};
}
