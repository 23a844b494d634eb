import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import {
	approveProposal,
	bindingRules,
	declineProposal,
	fillOpenPositions,
	proposals,
	removeRule,
	rulesPossible,
	saveRule,
	unbindUnit,
	withWarnings
} from '$lib/server/onboarding';
import { unbindAction } from '$lib/server/onboarding/actions';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { Actions, PageServerLoad } from './$types';

/** Rules by which new units fill open positions, and what they propose. */
export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'bind');
	depends('limen:live');
	const { customerId } = locals;
	const [rules, possible, waiting] = await Promise.all([
		bindingRules(customerId),
		rulesPossible(),
		proposals(customerId)
	]);
	return { rules, possible, proposals: await withWarnings(waiting, (one) => one) };
};

const id = v.pipe(v.string(), v.uuid());
const name = v.pipe(v.string(), v.maxLength(64));
const ruleSchema = v.object({
	customer: v.pipe(v.string('Choose a customer.'), v.uuid('Choose a customer.')),
	/** Model and role, as one choice. */
	about: v.pipe(v.string('Choose a model and a role.'), v.regex(/^\S+ \S+$/, 'Choose a model and a role.')),
	held: v.optional(name, '')
});

const oneOf =
	(field: string, act: (id: string, event: RequestEvent) => Promise<unknown>) =>
	async (event: RequestEvent) => {
		const parsed = v.safeParse(id, (await event.request.formData()).get(field));
		if (!parsed.success) return fail(400, { problem: 'Which one?' });
		return act(parsed.output, event);
	};

export const actions: Actions = {
	save: async (event) => {
		const parsed = v.safeParse(ruleSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { customer, about, held } = parsed.output;
		const [modelId, roleId] = about.split(' ') as [string, string];
		const act = await saveRule({ customerId: customer, modelId, roleId, held: held !== '' }, actorOf(event));
		return act.ok
			? { said: 'The rule is set. It works on what is taken in from now on.' }
			: fail(409, { problem: act.problem });
	},
	remove: oneOf('rule', async (rule, event) => {
		const act = await removeRule(rule, actorOf(event));
		return act.ok ? { said: 'The rule is gone; what it bound stays.' } : fail(409, { problem: act.problem });
	}),
	fill: oneOf('customer', async (customer, event) => {
		const outcomes = await fillOpenPositions(customer, null, actorOf(event));
		const failed = outcomes.filter(({ bound }) => bound === false);
		const counted = (wanted: boolean | null) => outcomes.filter(({ bound }) => bound === wanted).length;
		return failed.length > 0
			? fail(409, {
					problem: `${counted(true)} bound, ${counted(null)} to approve. ${failed.map(({ place, problem }) => `${place}: ${problem}`).join(' ')}`
				})
			: { said: `${counted(true)} bound, ${counted(null)} to approve.` };
	}),
	approve: async (event) => {
		const units = v.safeParse(v.array(id), (await event.request.formData()).getAll('unit'));
		if (!units.success || units.output.length === 0) return fail(400, { problem: 'Choose at least one.' });
		const actor = actorOf(event);
		const problems: string[] = [];
		let undo: string | null = null;
		for (const unit of units.output) {
			const act = await approveProposal(unit, actor);
			if (act.ok) undo = act.done.positionId;
			else problems.push(act.problem);
		}
		const bound = units.output.length - problems.length;
		return problems.length > 0
			? fail(409, { problem: `${bound} bound; not bound: ${[...new Set(problems)].join(' ')}` })
			: { said: `${bound} bound.`, ...(undo !== null && bound === 1 && { undo }) };
	},
	decline: oneOf('unit', async (unit, event) => {
		const act = await declineProposal(unit, actorOf(event));
		return act.ok ? { said: 'Declined. Both stay open.' } : fail(409, { problem: act.problem });
	}),
	unbind: unbindAction(unbindUnit)
};
