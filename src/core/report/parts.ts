import * as v from 'valibot';

/** What a report can be made of, in the order in which it is read. */
export const REPORT_PARTS = {
	inventory: 'what there is',
	standing: 'how sites stand',
	proofs: 'proofs and handovers',
	changes: 'who changed what, how often',
	health: 'how long sites were connected',
	alerts: 'alerts',
	firmware: 'firmware, and who is behind',
	cohorts: 'cohorts',
	rollouts: 'rollouts'
} as const;
export type ReportPart = keyof typeof REPORT_PARTS;
export const REPORT_PARTS_IN_ORDER = Object.keys(REPORT_PARTS) as ReportPart[];

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const DAY_MS = 24 * 3_600_000;
const LONGEST_DAYS = 3_660;

const day = (missing: string) => v.pipe(v.string(missing), v.regex(DAY, missing), v.isoDate(missing));

/** What is reported: of which customer (null: of all), which parts, from the beginning of a day to the end of another, by the customer's own clock. */
export const reportSchema = v.pipe(
	v.object({
		customer: v.nullable(v.pipe(v.string(), v.uuid())),
		parts: v.pipe(
			v.array(v.picklist(REPORT_PARTS_IN_ORDER, 'Choose what is reported.')),
			v.minLength(1, 'Choose at least one part.'),
			v.transform((given) => REPORT_PARTS_IN_ORDER.filter((part) => given.includes(part)))
		),
		from: day('From which day?'),
		to: day('Until which day?')
	}),
	v.check(({ from, to }) => from <= to, 'It ends before it begins.'),
	v.check(({ from, to }) => daysBetween(from, to) <= LONGEST_DAYS, 'At most ten years.')
);
export type Report = Readonly<v.InferOutput<typeof reportSchema>>;

const daysBetween = (from: string, to: string): number => (Date.parse(to) - Date.parse(from)) / DAY_MS;

export const PERIODS = { week: 'last week', month: 'last month', quarter: 'last three months' } as const;
export type Period = keyof typeof PERIODS;

/** The last whole one before a day, as its first and last day: weeks begin on Monday. */
export function periodBefore(period: Period, today: string): { readonly from: string; readonly to: string } {
	const [year, month] = [Number(today.slice(0, 4)), Number(today.slice(5, 7)) - 1];
	const text = (at: number) => new Date(at).toISOString().slice(0, 10);
	if (period === 'week') {
		const at = Date.parse(today);
		const monday = at - ((new Date(at).getUTCDay() + 6) % 7) * DAY_MS;
		return { from: text(monday - 7 * DAY_MS), to: text(monday - DAY_MS) };
	}
	return {
		from: text(Date.UTC(year, month - (period === 'month' ? 1 : 3), 1)),
		to: text(Date.UTC(year, month, 0))
	};
}
