import type * as v from 'valibot';
import { bindOnTheWay } from '../binding';
import { readForIntake } from '../intake';
import type { Actor } from '../ledger';
import { outcomesOfBatch } from '../watch';
import type { Done } from './idempotency';
import type { batchSchema } from './schemas';
import { batchById } from './store';

/**
 * The batch that a request took in whose process ended before it had answered, as it stands now. What its list or a rule
 * binds, and was not bound by then, is bound; what was bound and has been taken away since is not bound again. Undefined
 * when the batch is not there any more.
 */
export async function batchAgain(
	text: string,
	done: readonly Done[],
	actor: Actor
): Promise<v.InferOutput<typeof batchSchema> | undefined> {
	const id = done.find(({ act }) => act === 'claim')!.subjectId;
	const taken = await batchById(id);
	if (!taken) return undefined;
	const list = await readForIntake(taken.customerId, text);
	const placeOf = new Map(list.ok ? list.done.reading.rows.map(({ serial, place }) => [serial, place]) : []);
	const boundBefore = new Map(
		done.flatMap(({ act, subjectId, words }) => (act === 'bind' ? [[subjectId, words]] : []))
	);
	const rows = taken.rows.flatMap((row) =>
		boundBefore.has(row.unitId ?? '') ? [] : [{ ...row, place: placeOf.get(row.serial) ?? null }]
	);
	const { outcomes, work } = await bindOnTheWay(taken.customerId, { batchId: id, rows }, actor);
	return {
		...taken,
		rows: taken.rows.map((row) => {
			const words = boundBefore.get(row.unitId ?? '');
			return { ...row, binding: words ? { ok: true, words } : (outcomes.get(row.line) ?? null) };
		}),
		bindingWork: work?.id ?? taken.bindingWork,
		outcomes: await outcomesOfBatch(id)
	};
}
