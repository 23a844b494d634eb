import { callHomeKeys, unseal } from '../keys';
import { fieldsOfRevision, type RenderingSource } from '../profile';
import type { HeldSecret } from './store';

interface Login {
	readonly user: string;
	readonly password: string;
}
/** A login that has to be refused from now on, and the one that lets in; of Limen's own key only that it is. */
export type LoginPair = { readonly old: Login; readonly new: Login } | 'key';

/** What can be tried at the next login, of secrets that a unit is given anew. */
export function trialsOf(
	held: readonly HeldSecret[],
	{ revision, scoped }: RenderingSource
): readonly LoginPair[] {
	if (held.length === 0) return callHomeKeys().length > 1 ? ['key'] : [];
	const fields = revision ? fieldsOfRevision(revision) : [];
	return held.flatMap(({ scope, field, previous, value }) => {
		const type = fields.find(({ name }) => name === field)?.type;
		if (scope === 'tunnel' || type?.kind !== 'secret' || type.account === undefined) return [];
		const now = scoped[scope]?.[field];
		if (now === undefined) return [];
		const old = unseal(previous ?? value);
		return [
			{ old: { user: type.account, password: old }, new: { user: type.account, password: String(now) } }
		];
	});
}
