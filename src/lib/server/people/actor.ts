import { may, type Capable, type CustomerAct, type PersonAct, type Duty } from '../../../core/people';
import { BOOTSTRAP, database, runAs } from '../database';
import type { Actor, KeyedRequest } from '../ledger';

/** Who is signed in on a request. */
export interface SignedIn extends Capable {
	readonly id: string;
	readonly name: string;
	readonly email: string;
	readonly administrator: boolean;
	readonly duties: Readonly<Record<string, Duty>>;
	readonly sessionId: string;
	/** When they last proved who they are, in milliseconds since the epoch. */
	readonly confirmedAt: number;
}

/** A program with a service token: what it may, and for whom. */
export interface Program {
	readonly tokenId: string;
	readonly name: string;
	readonly acts: readonly PersonAct[];
	readonly customers: readonly string[];
}

const personActor = (person: SignedIn, address: string): Actor => ({
	name: person.name,
	address,
	personId: person.id,
	may: (act, customerId) => may(person, act, customerId)
});

/**
 * Somebody whose work goes on after they have left: with what they may now, and the name they had when they
 * began it. Who has been shut out meanwhile may nothing.
 */
export async function actorById(personId: string, name: string, address: string | null): Promise<Actor> {
	const { rows } = await runAs(BOOTSTRAP, () =>
		database().raw('select * from limen_person_by_id(?)', [personId])
	);
	const [person] = rows as Capable[];
	return {
		name,
		address,
		personId,
		may: (act, customerId) => person !== undefined && may(person, act, customerId)
	};
}

const programActor = (program: Program, address: string): Actor => ({
	name: `${program.name} (service token)`,
	address,
	tokenId: program.tokenId,
	may: (act, customerId) =>
		program.acts.includes(act) && (customerId === null || program.customers.includes(customerId))
});

const NOBODY: Omit<Actor, 'address'> = { name: 'Nobody', may: () => false };

interface Asked {
	readonly locals: {
		readonly person: SignedIn | null;
		readonly program: Program | null;
		readonly keyed?: KeyedRequest;
	};
	getClientAddress(): string;
}

/** Who acts in a request. */
export function actorOf({ locals, getClientAddress }: Asked): Actor {
	const [address, request] = [getClientAddress(), locals.keyed ?? null];
	if (locals.person) return { ...personActor(locals.person, address), request };
	if (locals.program) return { ...programActor(locals.program, address), request };
	return { ...NOBODY, address };
}

type Holders = Asked['locals'];

/** Whether who is signed in may do an act. */
export const maySee = (
	{ person }: Pick<Holders, 'person'>,
	act: PersonAct,
	customerId: string | null = null
): boolean => person !== null && may(person, act, customerId);

/**
 * At which customers somebody may do an act, of those that are looked at (`chosen`: one, or all): null for all that there
 * are. For lists of what not everybody at a customer may see.
 */
export function customersWhere(
	{ person }: Pick<Holders, 'person'>,
	act: CustomerAct,
	chosen: string | null
): readonly string[] | null {
	if (chosen !== null) return person !== null && may(person, act, chosen) ? [chosen] : [];
	if (person?.administrator) return null;
	return Object.keys(person?.duties ?? {}).filter((id) => may(person!, act, id));
}

/** Whether they may see a customer at all: what their streams and lists are limited to. */
export const seesCustomer =
	({ person, program }: Asked['locals']) =>
	(customerId: string): boolean =>
		person ? may(person, 'see', customerId) : (program?.customers.includes(customerId) ?? false);
