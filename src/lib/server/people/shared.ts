import type { Knex } from 'knex';
import type { FirmAct } from '../../../core/people';
import { refuse, type Refusal } from '../act';
import type { Actor } from '../ledger';
import { currentSettings } from '../settings';

/** What the firm shares, by what changes with it. */
export type Shared =
	| { readonly profile: string }
	| { readonly part: string }
	| { readonly maker: string }
	| { readonly line: string; readonly version: string };

/**
 * Why somebody may not change what customers share; null when they may. They need the right at every customer
 * whose network runs what is changed; administrators have it everywhere. What nobody follows yet is changed
 * by whoever has the right anywhere.
 */
export async function sharedRefusal(
	trx: Knex,
	act: FirmAct,
	shared: Shared,
	actor: Actor,
	words: string
): Promise<Refusal | null> {
	if (!actor.may(act, null)) return refuse(words);
	const [name, given] =
		'profile' in shared
			? (['limen_profile_customers(?)', [shared.profile]] as const)
			: 'part' in shared
				? (['limen_part_customers(?)', [shared.part]] as const)
				: 'maker' in shared
					? (['limen_maker_customers(?)', [shared.maker]] as const)
					: (['limen_image_customers(?, ?)', [shared.line, shared.version]] as const);
	const { rows } = await trx.raw(`select customer from ${name} as customer`, [...given]);
	const elsewhere = (rows as { customer: string }[]).filter(
		({ customer }) => !actor.may(act, customer)
	).length;
	if (elsewhere === 0) return null;
	const whose = elsewhere === 1 ? 'a customer' : `${elsewhere} customers`;
	return refuse(
		`The networks of ${whose} that you are not an engineer for follow this as well. Ask somebody who is, or an administrator.`
	);
}

/** Where the firm wants a second person for a release: why somebody may not release what they wrote themselves; null when they may. */
export function secondPersonRefusal(editedById: string | null, actor: Actor): Refusal | null {
	if (!currentSettings().LIMEN_RELEASE_BY_TWO || editedById === null || editedById !== actor.personId)
		return null;
	return refuse(
		'You wrote this draft; here somebody else has to release it. Ask another engineer to read it.'
	);
}
