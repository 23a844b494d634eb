import { resolveValues } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { renderingSources } from './sources';
import { fieldsOfRevision, secretsAmong } from './revisions/revisions';

/**
 * Shows one secret value of a position. Whoever may reveal secrets of the customer, and has just proved
 * again who they are (the caller's part); each look is entered in the ledger, without the value.
 */
export async function revealSecret(
	positionId: string,
	name: string,
	actor: Actor
): Promise<Act<{ name: string; value: string }>> {
	const source = (await renderingSources(database(), [positionId])).get(positionId);
	if (!source) return refuse('There is no such position.');
	if (!actor.may('reveal secret', source.customerId)) return refuse('Secrets are revealed by engineers.');
	const isSecret = secretsAmong(source.revision ? fieldsOfRevision(source.revision) : []);
	const value = resolveValues(source.scoped)[name];
	if (value === undefined || !isSecret(name)) return refuse('This position has no such secret.');
	await database().transaction(async (trx) => {
		await trx.raw(
			`insert into secret_seen (secret_id, customer_id, who) select id, customer_id, :who from secret
			where customer_id = :customer and field = :name and case when position_id is not null then position_id = :position
				when site_id is not null then site_id = :site else tunnel_id is null end
			order by position_id is null, site_id is null limit 1`,
			{
				who: actor.name,
				name,
				customer: source.customerId,
				position: positionId,
				site: source.siteId
			}
		);
		await enterInLedger(trx, actor, [
			{
				act: 'reveal secret',
				customerId: source.customerId,
				subjectKind: 'position',
				subjectId: positionId,
				words: `${name} of ${source.positionName} at ${source.siteName} was looked at.`
			}
		]);
	});
	return done({ name, value: String(value) });
}
