import * as v from 'valibot';
import { FIGURE_NAMES, type Figure } from '../health';

/** What a report can be made of, in the order in which it is read. */
export const REPORT_PARTS = {
	inventory: 'what there is',
	units: 'each unit, with all that is known',
	standing: 'how sites stand',
	proofs: 'proofs and handovers',
	changes: 'who changed what, how often',
	health: 'how long sites were connected',
	figures: 'how units did, in figures',
	alerts: 'alerts',
	firmware: 'firmware, and who is behind',
	secrets: 'how old secrets are',
	cohorts: 'cohorts',
	rollouts: 'rollouts'
} as const;
export type ReportPart = keyof typeof REPORT_PARTS;
export const REPORT_PARTS_IN_ORDER = Object.keys(REPORT_PARTS) as ReportPart[];

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const DAY_MS = 24 * 3_600_000;
const LONGEST_DAYS = 3_660;

const day = (missing: string) => v.pipe(v.string(missing), v.regex(DAY, missing), v.isoDate(missing));

/** The figures that are told where nobody chose. */
export const USUAL_FIGURES: readonly Figure[] = ['trip', 'processor', 'memory'];

/** What is told of whom, whenever that is: of which customer (null: of all), of the units of which cohort (null: of all). */
export const REPORT_CHOICE = {
	customer: v.nullable(v.pipe(v.string(), v.uuid())),
	cohort: v.nullable(v.pipe(v.string(), v.uuid())),
	parts: v.pipe(
		v.array(v.string()),
		v.array(v.picklist(REPORT_PARTS_IN_ORDER, 'Choose what is reported.')),
		v.minLength(1, 'Choose at least one part.'),
		v.transform((given) => REPORT_PARTS_IN_ORDER.filter((part) => given.includes(part)))
	),
	/** Of the part `figures`; none: the usual ones. */
	figures: v.pipe(
		v.array(v.string()),
		v.array(v.picklist(FIGURE_NAMES, 'Choose figures.')),
		v.transform((given) => {
			const chosen = FIGURE_NAMES.filter((figure) => given.includes(figure));
			return chosen.length > 0 ? chosen : [...USUAL_FIGURES];
		})
	)
};

/** From the beginning of a day to the end of another, by the customer's own clock. */
export const REPORT_PERIOD = { from: day('From which day?'), to: day('Until which day?') };
type Days = { readonly from: string; readonly to: string };
export const isForwards = <Given extends Days>() =>
	v.check(({ from, to }: Given) => from <= to, 'It ends before it begins.');
export const isWithinReach = <Given extends Days>() =>
	v.check(({ from, to }: Given) => daysBetween(from, to) <= LONGEST_DAYS, 'At most ten years.');

/** What is reported. */
export const reportSchema = v.pipe(
	v.object({ ...REPORT_CHOICE, ...REPORT_PERIOD }),
	isForwards(),
	isWithinReach()
);
export type Report = Readonly<v.InferOutput<typeof reportSchema>>;

const daysBetween = (from: string, to: string): number => (Date.parse(to) - Date.parse(from)) / DAY_MS;

export const PERIODS = {
	day: 'the day before',
	week: 'last week',
	month: 'last month',
	quarter: 'last three months'
} as const;
export type Period = keyof typeof PERIODS;

/** The last whole one before a day, as its first and last day: weeks begin on Monday. */
export function periodBefore(period: Period, today: string): { readonly from: string; readonly to: string } {
	const [year, month] = [Number(today.slice(0, 4)), Number(today.slice(5, 7)) - 1];
	const text = (at: number) => new Date(at).toISOString().slice(0, 10);
	const at = Date.parse(today);
	if (period === 'day') return { from: text(at - DAY_MS), to: text(at - DAY_MS) };
	if (period === 'week') {
		const monday = at - ((new Date(at).getUTCDay() + 6) % 7) * DAY_MS;
		return { from: text(monday - 7 * DAY_MS), to: text(monday - DAY_MS) };
	}
	return {
		from: text(Date.UTC(year, month - (period === 'month' ? 1 : 3), 1)),
		to: text(Date.UTC(year, month, 0))
	};
}
