import * as v from 'valibot';
import { timeNow } from '$lib/server/database';

const DAY_MS = 86_400_000;
const USUAL_DAYS = 30;
const MOST_DAYS = 800;
const day = v.pipe(v.string(), v.isoDate());
const id = v.pipe(v.string(), v.uuid());

/** The time and the things that somebody asks about, as a page's address says it; what makes no sense is left out. */
export function spanIn({ searchParams }: URL) {
	const given = <Output>(schema: v.GenericSchema<unknown, Output>, name: string): Output | null => {
		const read = v.safeParse(schema, searchParams.get(name));
		return read.success ? read.output : null;
	};
	const end = given(day, 'to');
	const to = end === null ? new Date(timeNow()) : new Date(Date.parse(end) + DAY_MS);
	const begin = given(day, 'from');
	const earliest = to.getTime() - MOST_DAYS * DAY_MS;
	const from = new Date(
		begin === null
			? to.getTime() - USUAL_DAYS * DAY_MS
			: Math.min(to.getTime(), Math.max(earliest, Date.parse(begin)))
	);
	return { from, to, unitId: given(id, 'unit'), siteId: given(id, 'site') };
}
