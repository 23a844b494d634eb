import * as v from 'valibot';
import { DUTIES, type Duty } from '$core/people';
import type { Act } from '$lib/server/act';
import { formAction, manyIds, oneId } from '$lib/server/forms';
import type { Actor } from '$lib/server/ledger';
import {
	createToken,
	endSession,
	invite,
	people,
	revokeToken,
	sendLinkAgain,
	serviceTokens,
	sessionsOf,
	setDisabled,
	setDuties,
	TOKEN_ACTS,
	turnOffCodesOf,
	demand
} from '$lib/server/people';
import { createCustomer } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

const id = oneId('Which one?');

export const load: PageServerLoad = async ({ locals, url }) => {
	demand(locals, 'manage people');
	const chosen = v.safeParse(id, url.searchParams.get('person'));
	return {
		people: await people(),
		sessions: chosen.success ? await sessionsOf(chosen.output, locals.person!.sessionId) : [],
		tokens: await serviceTokens(),
		tokenActs: TOKEN_ACTS
	};
};

const name = v.pipe(v.string('Say a name.'), v.trim(), v.minLength(1, 'Say a name.'), v.maxLength(80));
const personSchema = v.object({ person: id });
/** The duties are fields of their own, one for each customer; programs read so in their description. */
const dutyFields = v.pipe(
	v.string(),
	v.description(
		`Of a field named “duty:” and the id of a customer: the duty there, ${DUTIES.join(', ')}, or empty for none.`
	)
);
const administrator = v.optional(v.literal('on'));
const dutiesSchema = v.objectWithRest({ person: id, administrator }, dutyFields);
const invitationSchema = v.objectWithRest(
	{
		name,
		email: v.pipe(v.string(), v.trim(), v.email('Write the whole e-mail address.'), v.maxLength(254)),
		administrator
	},
	dutyFields
);
const tokenAct = v.picklist(TOKEN_ACTS);
const tokenSchema = v.object({
	name,
	days: v.pipe(
		v.string(),
		v.regex(/^\d{1,3}$/, 'Say for how many days.'),
		v.transform(Number),
		v.minValue(1),
		v.maxValue(365)
	),
	act: v.optional(
		v.union([
			v.array(tokenAct),
			v.pipe(
				tokenAct,
				v.transform((one) => [one])
			)
		]),
		[]
	),
	customer: v.optional(manyIds('Choose for which customers.'), [])
});

type Fields = Readonly<Record<string, unknown>>;

/** Fields called `duty:CUSTOMER`, each a duty or empty for none. */
function dutiesIn(fields: Fields): Record<string, Duty> {
	return Object.fromEntries(
		Object.entries(fields).flatMap(([field, value]) => {
			const customer = v.safeParse(id, /^duty:(.*)$/.exec(field)?.[1]);
			const duty = v.safeParse(v.picklist(DUTIES), value);
			return customer.success && duty.success ? [[customer.output, duty.output]] : [];
		})
	);
}

/** An act of administration: for those who may, and after asking again who they are. */
const careful = <Schema extends v.GenericSchema<unknown, object>, Done extends object | undefined>(
	schema: Schema,
	words: string,
	said: string,
	act: (given: v.InferOutput<Schema>, actor: Actor) => Promise<Act<Done>>,
	wantsReason = false
) =>
	formAction(schema, {
		of: 'manage people',
		ask: () => ({ words, sites: [], wantsReason }),
		act,
		said: (done) => ({ said, token: (done as { token?: string } | undefined)?.token ?? null })
	});

export const actions: Actions = {
	invite: careful(
		invitationSchema,
		'Somebody new will get access.',
		'The invitation is on its way.',
		({ name, email, administrator, ...fields }, actor) =>
			invite({ name, email, administrator: administrator === 'on', duties: dutiesIn(fields) }, actor)
	),
	duties: careful(
		dutiesSchema,
		'What a person may do will change.',
		'The duties are set.',
		({ person, administrator, ...fields }, actor) =>
			setDuties(person, dutiesIn(fields), administrator === 'on', actor)
	),
	link: careful(
		personSchema,
		'A person will be sent a link that sets a new password.',
		'A new link is on its way.',
		({ person }, actor) => sendLinkAgain(person, actor)
	),
	out: careful(
		personSchema,
		'A person will be shut out at once.',
		'They are shut out, and their sessions have ended.',
		({ person }, actor) => setDisabled(person, true, actor),
		true
	),
	codes: careful(
		personSchema,
		'A person will come in with their password alone until they set up one-time codes again.',
		'Their one-time codes are off, and their sessions have ended.',
		({ person }, actor) => turnOffCodesOf(person, actor),
		true
	),
	end: careful(
		v.object({ session: id }),
		'A session will end at once.',
		'That session has ended.',
		({ session }, actor) => endSession(session, actor)
	),
	in: careful(
		personSchema,
		'A person will be let in again.',
		'They may come in again.',
		({ person }, actor) => setDisabled(person, false, actor)
	),
	token: careful(
		tokenSchema,
		'A program will get access.',
		'The token is made. Copy it now: it is not shown again.',
		({ name, days, act, customer }, actor) =>
			createToken({ name, days, acts: act, customers: customer }, actor)
	),
	customer: careful(
		v.object({ name: v.pipe(v.string(), v.trim(), v.minLength(1, 'Say a name.'), v.maxLength(120)) }),
		'A new customer will be taken on.',
		'The customer is there. Give people their duties for it.',
		({ name }, actor) => createCustomer(name, actor)
	),
	revoke: careful(
		v.object({ token: id }),
		'A program will lose its access at once.',
		'The token is revoked.',
		({ token }, actor) => revokeToken(token, actor),
		true
	)
};
