import { mayBePutBack, stanceOf, type Stated } from '../../../core/stance';
import { TOUCHES } from '../../../core/drift';
import { isOpenAt } from '../../../core/windows';
import { counted } from '../../../core/text';
import { raise } from '../alerts';
import { USUAL_RULE } from '../archive';
import { database, isRefusal, timeNow } from '../database';
import { LIMEN } from '../ledger';
import { log } from '../log';
import { putRightAt } from '../send';
import { windowsAt } from '../windows';
import { putBackLately, STATED } from './store';

/** What drifts again so often in a day is somebody's will, or nothing that a send can mend. */
const MOST_A_DAY = 3;
const LOOKED_AT_ONCE = 500;
const BACK = TOUCHES.filter(mayBePutBack);

interface Drifted extends Stated {
	readonly unitId: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly findings: readonly string[];
	/** Of them, those in which nothing stands that only its place has. */
	readonly common: readonly string[];
	/** Put back by itself in the last day, and how many of these ended otherwise than confirmed. */
	readonly tries: number;
	readonly failures: number;
	readonly mostAnHour: number;
	/** When it began to differ, as the database writes it. */
	readonly differsSince: string;
}

/**
 * Puts units back that are held and have drifted: inside their windows, where nobody is to be asked first, at most so many
 * of a customer in an hour, and never what touches the way to the unit. Each is told. Done twice, it does no harm.
 * Runs as BOOTSTRAP.
 */
export async function hold(): Promise<void> {
	let last: Drifted | undefined;
	// All of them: many that have to wait, for their windows say, do not keep the others waiting
	do {
		const some = await drifted(last);
		last = some.length === LOOKED_AT_ONCE ? some.at(-1) : undefined;
		await holdSome(some);
	} while (last);
}

async function holdSome(some: readonly Drifted[]): Promise<void> {
	const held = some.flatMap((unit): Drifted[] => {
		const { stance } = stanceOf(unit, timeNow());
		const findings = { watch: [], 'hold common': unit.common, hold: unit.findings }[stance];
		return findings.length > 0 ? [{ ...unit, findings }] : [];
	});
	if (held.length === 0) return;
	const windows = await windowsAt(
		database(),
		held.map(({ siteId }) => siteId)
	);
	for (const unit of held) {
		const window = windows.get(unit.siteId);
		if (!window || window.asksFirst || !isOpenAt(window, timeNow())) continue;
		await putBack(unit).catch((error: Error) => {
			// Somebody else sends to it just now
			if (!isRefusal(error))
				log.error({ unit: unit.unitId, error: error.message }, 'a unit could not be put back');
		});
	}
}

/** Those that come after another one, longest first. */
async function drifted(after?: Drifted): Promise<Drifted[]> {
	const { rows } = await database().raw(
		`select binding.unit_id as "unitId", binding.customer_id as "customerId", position.site_id as "siteId", ${STATED},
			open.findings, open.common, coalesce(rule.hold_an_hour, :usual) as "mostAnHour", lately.tries, lately.failures,
			unit_drift.since::text as "differsSince"
		from unit_drift join binding on binding.unit_id = unit_drift.unit_id and binding.position_id = unit_drift.position_id
		join run on run.id = binding.run_id and run.outcome = 'through' join position on position.id = binding.position_id
		join unit_connection held on held.unit_id = binding.unit_id and held.ended_at is null
		left join upkeep_rule rule on rule.customer_id = binding.customer_id
		cross join lateral (
			select array_agg(id::text order by id) as findings, coalesce(array_agg(id::text order by id) filter (where not particular), '{}') as common from finding where finding.unit_id = binding.unit_id and ended_at is null
				and touches = any (:back::text[]) and (left_until is null or left_until < current_date)
		) open
		cross join lateral (
			select count(*)::int as tries, (count(*) filter (where state <> 'confirmed'))::int as failures from send
			where send.unit_id = binding.unit_id and asked_by = :limen and asked_at > now() - interval '1 day' and ended_at is not null
		) lately
		where unit_drift.state = 'differs' and open.findings is not null
			and exists (select from stance where stance <> 'watch' and stance.customer_id = binding.customer_id)
			-- what was looked at before the last send ended says nothing of what runs now
			and not exists (select from send where send.unit_id = binding.unit_id and (send.ended_at is null or send.ended_at >= unit_drift.looked_at))
			and not exists (select from alert where alert.unit_id = binding.unit_id and kind = 'not put back' and alert.ended_at is null)
			and (:after::uuid is null or (unit_drift.since, unit_drift.unit_id) > (:since::timestamptz, :after::uuid))
		order by unit_drift.since, unit_drift.unit_id limit ${LOOKED_AT_ONCE}`,
		{
			usual: USUAL_RULE.holdAnHour,
			back: BACK,
			limen: LIMEN.name,
			after: after?.unitId ?? null,
			since: after?.differsSince ?? null
		}
	);
	return rows;
}

async function putBack(unit: Drifted): Promise<void> {
	const { unitId, customerId, findings, tries, failures } = unit;
	await database().transaction(async (trx) => {
		const tell = (kind: 'put back' | 'not put back', words: string) =>
			raise(trx, { unitId, customerId, kind, words });
		if (failures > 0)
			return tell(
				'not put back',
				'It was to be put back by itself and did not take it. Look at what it said.'
			);
		if (tries >= MOST_A_DAY)
			return tell(
				'not put back',
				`It was put back by itself ${counted(tries, 'time')} in a day and drifts again: somebody wants it otherwise.`
			);
		if ((await putBackLately(trx, customerId, LIMEN.name)) >= unit.mostAnHour) return;
		const act = await putRightAt(
			trx,
			unitId,
			{ findings, asked: false },
			{ ...LIMEN, reason: 'It is held: what drifts is put back by itself.' }
		);
		if (!act.ok) return tell('not put back', `It cannot be put back by itself. ${act.problem}`);
		await tell('put back', `What drifted is put back by itself: ${counted(findings.length, 'place')}.`);
	});
}
