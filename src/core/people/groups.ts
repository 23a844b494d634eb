import * as v from 'valibot';
import { DUTIES, type Duty } from './may';

/** What a group at the firm's identity provider may do here: a duty at a customer, or (without one) everything. */
export interface GroupDuty {
	readonly group: string;
	readonly customerId: string | null;
	/** Null, with no customer: administrator. */
	readonly duty: Duty | null;
}

const MOST_GROUPS = 1_000;
const groupsSchema = v.union([
	v.pipe(v.array(v.pipe(v.string(), v.maxLength(300))), v.maxLength(MOST_GROUPS)),
	v.pipe(
		v.string(),
		v.maxLength(300),
		v.transform((one) => [one])
	)
]);

/** The groups that a claim names: a list of names, or one; none where it is anything else. */
export function groupsIn(claim: unknown): readonly string[] {
	const read = v.safeParse(groupsSchema, claim);
	return read.success ? read.output : [];
}

/** From the one that may least to the one that may most, where two groups say different things of a customer. */
const STRENGTH: readonly Duty[] = ['reader', 'auditor', 'technician', 'coordinator', 'engineer'];

/**
 * What somebody's groups may do together. Laws: a group that nobody mapped adds nothing; more groups never take anything
 * away; the order of the groups does not matter.
 */
export function dutiesOfGroups(
	groups: readonly string[],
	mapped: readonly GroupDuty[]
): { readonly administrator: boolean; readonly duties: Readonly<Record<string, Duty>> } {
	const theirs = new Set(groups);
	const duties: Record<string, Duty> = Object.create(null);
	let administrator = false;
	for (const { group, customerId, duty } of mapped) {
		if (!theirs.has(group)) continue;
		if (customerId === null || duty === null) administrator = true;
		else {
			const before = duties[customerId];
			if (before === undefined || STRENGTH.indexOf(duty) > STRENGTH.indexOf(before))
				duties[customerId] = duty;
		}
	}
	return { administrator, duties: { ...duties } };
}

/** A group's duty as a form gives it: `administrator` needs no customer. */
export const groupDutySchema = v.pipe(
	v.object({
		group: v.pipe(
			v.string('Which group?'),
			v.trim(),
			v.minLength(1, 'Which group?'),
			v.maxLength(300, 'At most 300 characters.')
		),
		duty: v.picklist([...DUTIES, 'administrator'], 'What may it do?'),
		customer: v.optional(v.union([v.literal(''), v.pipe(v.string(), v.uuid('At which customer?'))]), '')
	}),
	v.forward(
		v.check(({ duty, customer }) => duty === 'administrator' || customer !== '', 'At which customer?'),
		['customer']
	),
	v.transform(({ group, duty, customer }): GroupDuty =>
		duty === 'administrator' ? { group, customerId: null, duty: null } : { group, customerId: customer, duty }
	)
);
