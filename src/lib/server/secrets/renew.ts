import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { commonForm, makeSecret, USUAL_FORM, type SecretForm } from '../../../core/secret';
import { apartFromTransaction } from '../database';
import { currentPack } from '../packs';
import type { HeldSecret } from './store';

/** A new secret in a form that suits the packs of all units that get it, as long as its field wants; null when none does. */
export async function newSecret(
	trx: Knex,
	unitIds: readonly string[],
	shortest: number
): Promise<string | null> {
	const units: { makerId: string; modelId: string }[] = await trx('unit')
		.whereIn('id', [...unitIds])
		.distinct('maker_id as makerId', 'model_id as modelId');
	const forms: SecretForm[] = [];
	for (const { makerId, modelId } of units) {
		const pack = await apartFromTransaction(() => currentPack(makerId));
		forms.push(pack?.models.find(({ id }) => id === modelId)?.secrets ?? USUAL_FORM);
	}
	const form = commonForm(forms);
	return form && makeSecret({ ...form, length: Math.max(form.length, shortest) }, randomBytes);
}

/** Puts a secret into the plan in place of the one there, which is kept. In the transaction of an act that has checked its rights. */
export async function putIntoPlan(
	trx: Knex,
	{ scope, holder, field }: HeldSecret,
	sealed: string
): Promise<void> {
	await trx.raw(`select set_config('limen.secret_is_made', 'on', true)`);
	if (scope === 'tunnel') await trx('tunnel').where({ id: holder }).update({ secret: sealed });
	else
		await trx(scope)
			.where({ id: holder })
			.update({
				values: trx.raw('jsonb_set("values", array[?]::text[], to_jsonb(?::text))', [field, sealed])
			});
	await trx.raw(`select set_config('limen.secret_is_made', '', true)`);
}

/** How a secret stood before it was renewed. */
export type Was = Pick<HeldSecret, 'since' | 'personId' | 'isMade' | 'previous' | 'provedAt' | 'proof'>;

/** The secret before comes back into the plan, as old as it was. Runs as BOOTSTRAP. */
export async function putBack(trx: Knex, secret: HeldSecret, was: Was, before: string): Promise<void> {
	await putIntoPlan(trx, secret, before);
	await trx('secret').where({ id: secret.id }).update({
		since: was.since,
		person_id: was.personId,
		is_made: was.isMade,
		previous: was.previous,
		proved_at: was.provedAt,
		proof: was.proof
	});
}
