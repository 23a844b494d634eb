import type { Knex } from 'knex';
import { clockOff, correctedTime } from '../../../core/day';
import { done, type Act } from '../act';
import { TakenBack } from '../change';
import { database, timeNow } from '../database';
import { enterInLedger } from '../ledger';
import { notify } from '../live';
import { bindIn, changeBinding } from '../binding';
import type { SentEntry, Technician } from './schemas';

/** What came of something that was done on a phone. */
export interface EntryOutcome {
	readonly id: string;
	readonly outcome: 'done' | 'conflict' | 'refused';
	readonly words: string;
}

/**
 * Takes over what was done on a phone, in the order it was done; what was taken over before is answered as
 * it was then, so that sending it twice does no harm. Each entry succeeds or fails for itself. Whoever may
 * bind for the customer may send. Nothing is lost: what collides with what others did meanwhile is kept as
 * a conflict, with both sides.
 */
export async function takeOver(
	entries: readonly SentEntry[],
	phoneNow: number,
	actor: Technician
): Promise<readonly EntryOutcome[]> {
	const serverNow = timeNow();
	const outcomes: EntryOutcome[] = [];
	for (const entry of [...entries].sort((a, b) => a.at - b.at))
		outcomes.push(
			await takeOne(entry, correctedTime(entry.at, phoneNow, serverNow), clockOff(phoneNow, serverNow), actor)
		);
	return outcomes;
}

const NOT_YOURS = 'This site is not yours to work at.';

async function takeOne(
	entry: SentEntry,
	doneAt: number,
	off: number | null,
	actor: Technician
): Promise<EntryOutcome> {
	const answered = (outcome: EntryOutcome['outcome'], words: string): EntryOutcome => ({
		id: entry.id,
		outcome,
		words
	});
	const before = await takenBefore(entry.id, actor.personId);
	if (before) return before;
	const site = await database()('site').where({ id: entry.siteId }).first('id', 'name', 'customer_id');
	if (!site || !actor.may('bind', site.customer_id)) return answered('refused', NOT_YOURS);
	const place =
		entry.positionId === null
			? null
			: await database()('position').where({ id: entry.positionId, site_id: site.id }).first('id', 'name');
	if (entry.positionId !== null && !place)
		return answered('refused', `${site.name} has no such position any more.`);
	const at = [site.name, place?.name].filter(Boolean).join(' ');
	const kept = (
		outcome: EntryOutcome['outcome'],
		words: string,
		work?: (trx: Knex) => Promise<Act<unknown>>
	) =>
		changeBinding<void>(async (trx) => {
			const rows = await trx('day_entry')
				.insert({
					id: entry.id,
					person_id: actor.personId,
					customer_id: site.customer_id,
					site_id: site.id,
					position_id: entry.positionId,
					kind: entry.kind,
					serial: entry.kind === 'bind' ? entry.serial : null,
					words: wordsOf(entry),
					signature: entry.kind === 'signature' ? entry.strokes : null,
					photo: entry.kind === 'photo' ? entry.image : null,
					done_at: new Date(doneAt),
					clock_off_ms: off,
					outcome,
					outcome_words: words
				})
				.onConflict('id')
				.ignore()
				.returning('id');
			// The same was sent twice at once, and the other one came first
			if (rows.length === 0) return done(undefined);
			const worked = await work?.(trx);
			if (worked && !worked.ok) throw new TakenBack(worked);
			await notify(trx, 'runs', site.customer_id);
			// A binding that was made has its own entry in the ledger
			if (!work)
				await enterInLedger(trx, actor, [
					{
						act: entry.kind === 'bind' ? 'scan at site' : `${entry.kind} at site`,
						customerId: site.customer_id,
						subjectKind: 'site',
						subjectId: site.id,
						words:
							entry.kind === 'bind'
								? `${entry.serial} was scanned for ${at}: ${words}`
								: entry.kind === 'signature'
									? `${entry.name} signed at ${at}.`
									: `${entry.kind === 'note' ? 'A note' : 'A photo'} from ${at}.`,
						result: outcome === 'refused' ? 'refused' : 'done'
					}
				]);
			return done(undefined);
		});
	/** What was kept is the answer; what the database would not keep is refused in its words. */
	const answer = async (stored: Act<unknown>) =>
		stored.ok
			? ((await takenBefore(entry.id, actor.personId)) ?? answered('refused', NOT_YOURS))
			: answered('refused', stored.problem);
	if (entry.kind !== 'bind') return answer(await kept('done', ''));
	const units = await scannedUnits(entry.serial, entry.positionId);
	const [unit] = units;
	if (!unit)
		return answer(await kept('refused', `${entry.serial} is not claimed for this customer. Claim it first.`));
	if (units.length > 1)
		return answer(
			await kept('refused', `Two makers have a unit ${entry.serial}. Bind the right one on the site’s page.`)
		);
	const bound = await kept('done', '', (trx) => bindIn(trx, entry.positionId, unit.id, actor));
	if (bound.ok) return answer(bound);
	const { here, elsewhere } = await collision(database(), entry.positionId, unit.id);
	return answer(
		here === unit.id
			? await kept('done', 'It was there already.')
			: await kept(here || elsewhere ? 'conflict' : 'refused', bound.problem)
	);
}

/** What is written in an entry. */
function wordsOf(entry: SentEntry): string {
	switch (entry.kind) {
		case 'bind':
			return '';
		case 'note':
			return entry.text;
		case 'photo':
			return entry.caption;
		case 'signature':
			return entry.name;
	}
}

/** The units of a position's customer with this serial number; of several makers' those that can serve there. */
async function scannedUnits(serial: string, positionId: string): Promise<readonly { id: string }[]> {
	const { rows } = await database().raw(
		`select unit.id, exists (select from model_role r where r.model_id = unit.model_id and r.role_id = position.role_id) as serves
		from unit join position on position.customer_id = unit.customer_id where unit.serial = ? and position.id = ?`,
		[serial, positionId]
	);
	const serving = rows.filter(({ serves }: { serves: boolean }) => serves);
	return serving.length > 0 ? serving : rows;
}

async function takenBefore(id: string, personId: string): Promise<EntryOutcome | null> {
	const row = await database()('day_entry')
		.where({ id, person_id: personId })
		.first('outcome', 'outcome_words as words');
	return row ? { id, ...row } : null;
}

/** What stands in the way of a binding: the unit at the position, and where else the unit is. */
export async function collision(
	knex: Knex,
	positionId: string,
	unitId: string
): Promise<{ here: string | null; elsewhere: string | null }> {
	const rows = await knex('binding')
		.where({ position_id: positionId })
		.orWhere({ unit_id: unitId })
		.select('position_id', 'unit_id');
	return {
		here: rows.find((row) => row.position_id === positionId)?.unit_id ?? null,
		elsewhere:
			rows.find((row) => row.unit_id === unitId && row.position_id !== positionId)?.position_id ?? null
	};
}
