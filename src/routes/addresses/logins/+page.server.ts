import * as v from 'valibot';
import { parseAddress } from '$core/address';
import { counted } from '$core/text';
import { chosenLogin } from '$lib/server/connections';
import { database } from '$lib/server/database';
import { formAction, oneId } from '$lib/server/forms';
import { intakeModels } from '$lib/server/intake';
import {
	dropLogin,
	lastTries,
	loginSchema,
	loginsOf,
	saveLogin,
	triesSchema,
	tryLogins
} from '$lib/server/logins';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

const askedSchema = v.object({
	customer: v.pipe(v.string(), v.uuid()),
	address: v.pipe(v.string(), v.trim(), v.maxLength(60)),
	model: v.pipe(v.string(), v.maxLength(60))
});

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'reach units');
	depends('limen:live');
	const mine = (await customers()).filter(({ id }) => maySee(locals, 'reach units', id));
	const isMine = ({ customerId }: { readonly customerId: string }) =>
		maySee(locals, 'reach units', customerId);
	const [all, tries, models] = await Promise.all([
		loginsOf(locals.customerId),
		lastTries(locals.customerId),
		intakeModels(database())
	]);
	return {
		mine,
		models: models.map(({ id, name }) => ({ value: id, name })),
		logins: all.filter(isMine),
		tries: tries.filter(isMine),
		asked: await answered(url, mine)
	};
};

/** Which login an address would use, when somebody asks that. */
async function answered(url: URL, mine: readonly { readonly id: string }[]) {
	const asked = v.safeParse(askedSchema, {
		customer: url.searchParams.get('customer'),
		address: url.searchParams.get('address'),
		model: url.searchParams.get('model') ?? ''
	});
	if (!asked.success) return null;
	const { customer, address, model } = asked.output;
	if (!mine.some(({ id }) => id === customer)) return null;
	if (parseAddress(address) === null) return { ...asked.output, words: `“${address}” is no address.` };
	const chosen = await chosenLogin(database(), customer, address, model || null);
	return {
		...asked.output,
		words: chosen ? `It would use “${chosen.name}”: ${chosen.why}` : 'None of the logins is for this address.'
	};
}

export const actions: Actions = {
	keep: formAction(loginSchema, {
		of: 'reach units',
		act: saveLogin,
		said: 'It is kept, sealed. Nobody reads it here.'
	}),
	drop: formAction(v.object({ login: oneId('Choose a login.') }), {
		of: 'reach units',
		act: ({ login }, actor) => dropLogin(login, actor),
		said: 'It is forgotten.'
	}),
	try: formAction(triesSchema, {
		of: 'reach units',
		act: tryLogins,
		said: ({ count }) =>
			`${counted(count, 'address is', 'addresses are')} being tried; what came of it is told below.`
	})
};
