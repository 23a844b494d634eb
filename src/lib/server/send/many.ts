import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { beginLongWork, onLongWork } from '../jobs';
import type { Actor } from '../ledger';
import { putRightAt, WORDS } from './ask';

const LONG_PUT_RIGHT = 'put right';
const MOST_UNITS = 2_000;

/** From now on findings of many units are put right one unit after the other. */
export const startPuttingRight = (): void =>
	onLongWork(
		LONG_PUT_RIGHT,
		(trx, about, actor) =>
			putRightAt(
				trx,
				about.unit!,
				{ findings: about.findings!.split(','), asked: about.asked !== undefined },
				actor
			),
		WORDS
	);

/**
 * Puts findings right, each unit's in one send, as long work. Whoever may send at their customers may; what is at others
 * is left out, and so is each site without an open window. `asked`: the contacts were, where that is done first. Refused:
 * when none is open any more, or there are too many units.
 */
export async function putRightMany(
	findingIds: readonly string[],
	asked: boolean,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	const rows: { findings: string[]; unit: string; customerId: string; subject: string }[] = (
		await database().raw(
			`select array_agg(finding.id::text) as findings, unit.id as unit, finding.customer_id as "customerId",
				site.name || ', ' || position.name as subject
			from finding join unit on unit.id = finding.unit_id join position on position.id = finding.position_id join site on site.id = position.site_id
			where finding.id = any (?::uuid[]) and finding.ended_at is null group by unit.id, finding.customer_id, site.name, position.name order by subject`,
			[[...findingIds]]
		)
	).rows;
	const units = rows.filter(({ customerId }) => actor.may('send', customerId));
	if (rows.length === 0) return refuse('This is no longer so; nothing is to be put right.');
	if (units.length === 0) return refuse('You may not send to units of this customer.');
	if (units.length > MOST_UNITS) return refuse(`At most ${MOST_UNITS} units at one go.`);
	const begun = await database().transaction((trx) =>
		beginLongWork(
			trx,
			{
				kind: LONG_PUT_RIGHT,
				title: 'Put right what drifted',
				things: units.map(({ findings, unit, customerId, subject }) => ({
					customerId,
					subject,
					about: { unit, findings: findings.join(','), ...(asked && { asked: 'yes' }) }
				}))
			},
			actor
		)
	);
	return begun.ok ? done({ ...begun.done, count: units.length }) : begun;
}
