import * as v from 'valibot';
import { done, refuse } from '$lib/server/act';
import { formAction, manyIds, oneId } from '$lib/server/forms';
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
			const outcomes = await fillOpenPositions(customer, null, actor);
			const counted = (wanted: boolean | null) => outcomes.filter(({ bound }) => bound === wanted).length;
			const words = `${counted(true)} bound, ${counted(null)} to approve.`;
			const failed = outcomes.filter(({ bound }) => bound === false);
			return failed.length === 0
				? done(words)
				: refuse(`${words} ${failed.map(({ place, problem }) => `${place}: ${problem}`).join(' ')}`);
		},
		said: (words) => words
	}),
	approve: formAction(v.object({ unit: manyIds('Choose at least one.') }), {
		act: async ({ unit }, actor) => {
			const problems: string[] = [];
			const bound: string[] = [];
			for (const one of unit) {
				const act = await approveProposal(one, actor);
				if (act.ok) bound.push(act.done.positionId);
				else problems.push(act.problem);
			}
			return problems.length === 0
				? done(bound)
				: refuse(`${bound.length} bound; not bound: ${[...new Set(problems)].join(' ')}`);
		},
		said: (bound) => ({ said: `${bound.length} bound.`, ...(bound.length === 1 && { undo: bound[0]! }) })
	}),
	decline: formAction(v.object({ unit: oneId(WHICH) }), {
		act: ({ unit }, actor) => declineProposal(unit, actor),
		said: 'Declined. Both stay open.'
	}),
	unbind: unbindAction(unbindUnit)
};
