import * as v from 'valibot';
import { counted } from '$core/text';
import { done, refuse } from '$lib/server/act';
import { formAction, manyIds, oneId } from '$lib/server/forms';
import {
	approveProposals,
	bindingRules,
	declineProposal,
	fillOpenPositions,
	proposals,
	removeRule,
	rulesPossible,
	saveRule,
	unbindUnit,
	withWarnings,
	unbindAction
} from '$lib/server/binding';
import { demand } from '$lib/server/people';
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

const name = v.pipe(v.string(), v.maxLength(64));
const ruleSchema = v.object({
	customer: oneId('Choose a customer.'),
	/** Model and role, as one choice. */
	about: v.pipe(v.string('Choose a model and a role.'), v.regex(/^\S+ \S+$/, 'Choose a model and a role.')),
	held: v.optional(name, '')
});

const WHICH = 'Which one?';

export const actions: Actions = {
	save: formAction(ruleSchema, {
		act: ({ customer, about, held }, actor) => {
			const [modelId, roleId] = about.split(' ') as [string, string];
			return saveRule({ customerId: customer, modelId, roleId, held: held !== '' }, actor);
		},
		said: 'The rule is set. It works on what is taken in from now on.'
	}),
	remove: formAction(v.object({ rule: oneId(WHICH) }), {
		act: ({ rule }, actor) => removeRule(rule, actor),
		said: 'The rule is gone; what it bound stays.'
	}),
	fill: formAction(v.object({ customer: oneId(WHICH) }), {
		act: async ({ customer }, actor) => {
			const { proposed, bound, workId } = await fillOpenPositions(customer, actor);
			if (workId !== null)
				return done(
					`${counted(bound.length, 'unit is', 'units are')} being bound, ${proposed.length} to approve.`
				);
			const failed = bound.flatMap(({ pairing, outcome }) =>
				outcome?.ok === false ? [`${pairing.place}: ${outcome.problem}`] : []
			);
			const words = `${bound.length - failed.length} bound, ${proposed.length} to approve.`;
			return failed.length === 0 ? done(words) : refuse(`${words} ${failed.join(' ')}`);
		},
		said: (words) => words
	}),
	approve: formAction(v.object({ unit: manyIds('Choose at least one.') }), {
		act: async ({ unit }, actor) => {
			const act = await approveProposals(unit, actor);
			if (!act.ok || act.done.workId !== null) return act;
			const problems = new Set(act.done.outcomes.flatMap((one) => (one.ok ? [] : [one.problem])));
			const bound = act.done.outcomes.filter(({ ok }) => ok).length;
			return problems.size === 0 ? act : refuse(`${bound} bound; not bound: ${[...problems].join(' ')}`);
		},
		said: ({ workId, positionIds }) =>
			workId === null
				? {
						said: `${positionIds.length} bound.`,
						...(positionIds.length === 1 && { undo: positionIds[0]! })
					}
				: { said: `${positionIds.length} are being bound.` }
	}),
	decline: formAction(v.object({ unit: oneId(WHICH) }), {
		act: ({ unit }, actor) => declineProposal(unit, actor),
		said: 'Declined. Both stay open.'
	}),
	unbind: unbindAction(unbindUnit)
};
