import { fail, redirect, type ActionFailure, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import type { PersonAct } from '../../../core/people';
import type { Refusal } from '../act';
import type { Actor } from '../ledger';
import { actorOf, askAgain, demand, reasonIn, type Confirmation, type Consequence } from '../people';

/** What an act came to; a refusal may carry more that the page shows. */
type Outcome = { readonly ok: true; readonly done?: unknown } | Refusal;
type DoneOf<Result extends Outcome> =
	Extract<Result, { ok: true }> extends { done: infer Done } ? Done : undefined;
type RefusalOf<Result extends Outcome> = Extract<Result, { ok: false }>;

/** Why a form was not carried out: in one sentence, and field by field where it is about fields. */
export interface FormProblem {
	readonly problem: string;
	/** By field, what is wrong with it. */
	readonly problems: Readonly<Record<string, string>>;
	readonly wantsReason: boolean;
	/** What was typed, for a page without scripts, which is made anew; and into which form. */
	readonly typed?: Readonly<Record<string, string>>;
	readonly typedInto?: string;
}

interface FormAct<Given, Result extends Outcome, Shown, Extra extends object> {
	/** Whom it is for: others are stopped before their form is read. The act asks at the customer all the same. */
	readonly of?: PersonAct;
	/** What will happen, where who it is has to be shown before; null where nobody is interrupted. */
	readonly ask?: (given: Given, actor: Actor, event: RequestEvent) => Promised<Consequence | null>;
	readonly act: (given: Given, actor: Actor, event: RequestEvent) => Promise<Result>;
	/** What the page says then: one sentence, or that under `said` with more to show. */
	readonly said?: string | ((done: DoneOf<Result>, given: Given) => Promised<Shown>);
	/** Where the page goes instead. */
	readonly goes?: (done: DoneOf<Result>, given: Given, event: RequestEvent) => string;
	/** What is wrong with a form, where the schema's own words do not say at which place of a field. */
	readonly misread?: (issue: v.BaseIssue<unknown>) => string;
	/** What else the page shows of a refusal. */
	readonly refused?: (refusal: RefusalOf<Result>, given: Given) => Extra;
}
/** What an action says of itself: what its form holds, and whether it may ask again who it is. */
export interface DescribedAction {
	readonly schema: v.GenericSchema<unknown, unknown>;
	readonly asks: boolean;
}
type Promised<Value> = Value | Promise<Value>;
type Told<Shown> = Shown extends string ? { said: string } : Shown;

/**
 * A form's action. Reads the form by its schema, asks again who it is where the act is one of that kind,
 * does the act, and tells what came of it: `said` with what there is to show, a page to go to, or the
 * problem (400: the form; 409: the act was refused), so that the form is still there with what was typed.
 */
export const formAction = <
	Schema extends v.GenericSchema<unknown, unknown>,
	Result extends Outcome,
	Shown extends string | object = string,
	Extra extends object = object
>(
	schema: Schema,
	form: FormAct<v.InferOutput<Schema>, Result, Shown, Extra>
) => {
	const action = async (
		event: RequestEvent
	): Promise<
		Told<Shown> | ActionFailure<FormProblem & Partial<Extra>> | ActionFailure<{ confirm: Confirmation }>
	> => {
		if (form.of) demand(event.locals, form.of);
		const fields = fieldsOf(await event.request.formData());
		const parsed = v.safeParse(schema, fields);
		if (!parsed.success)
			return fail(400, {
				...misread(parsed.issues, form.misread),
				...kept(fields, event)
			} as FormProblem & Partial<Extra>);
		const given: v.InferOutput<Schema> = parsed.output;
		const actor = { ...actorOf(event), reason: reasonIn(fields) };
		const consequence = await form.ask?.(given, actor, event);
		const asked = consequence && (await askAgain(event, fields, consequence));
		if (asked) return asked;
		const result: Outcome = await form.act(given, actor, event);
		if (!result.ok) {
			const problem: FormProblem = {
				problem: result.problem,
				problems: {},
				wantsReason: result.wantsReason === true,
				...kept(fields, event)
			};
			return fail(409, {
				...problem,
				...(form.refused?.(result as RefusalOf<Result>, given) as Partial<Extra>)
			});
		}
		const done = result.done as DoneOf<Result>;
		if (form.goes) redirect(303, form.goes(done, given, event));
		const told = typeof form.said === 'function' ? await form.said(done, given) : (form.said ?? '');
		return (typeof told === 'string' ? { said: told } : told) as Told<Shown>;
	};
	// What programs are told of it: the same definition serves both
	return Object.assign(action, { schema, asks: form.ask !== undefined } satisfies DescribedAction);
};

const LONGEST_KEPT = 10_000;
const NEVER_KEPT = /password|secret|code|key|pem|privileges/i;

/** A page whose scripts run keeps what was typed by itself; one without is told. Secrets are typed anew. */
function kept(
	fields: ReturnType<typeof fieldsOf>,
	{ request, url }: RequestEvent
): Pick<FormProblem, 'typed' | 'typedInto'> {
	if (request.headers.has('x-sveltekit-action')) return {};
	const typed = Object.entries(fields).filter(
		(field): field is [string, string] =>
			typeof field[1] === 'string' && field[1].length <= LONGEST_KEPT && !NEVER_KEPT.test(field[0])
	);
	return { typed: Object.fromEntries(typed), typedInto: url.search };
}

/** What a form holds, by field; a field that is there more than once is a list. */
export function fieldsOf(form: FormData): Record<string, FormDataEntryValue | FormDataEntryValue[]> {
	// Without a prototype: a field may have any name
	const fields: Record<string, FormDataEntryValue | FormDataEntryValue[]> = Object.create(null);
	for (const name of new Set(form.keys())) {
		const values = form.getAll(name);
		fields[name] = values.length === 1 ? values[0]! : values;
	}
	return fields;
}

/**
 * One of several forms, told apart by what is in them, so that what is wrong is said of the one that is meant. Programs are
 * told of all of them.
 */
export const whichever = <const Forms extends readonly v.GenericSchema<unknown, unknown>[]>(
	forms: Forms,
	choose: (fields: Readonly<Record<string, unknown>>) => Forms[number]
) =>
	Object.assign(
		v.lazy((fields) => choose((fields ?? {}) as Record<string, unknown>)),
		{ forms }
	);

/** A field that names one thing. */
export const oneId = (missing: string) => v.pipe(v.string(missing), v.uuid(missing));
const MOST_NAMED = 2000;
/** A field that names one thing or more; each may be an act of its own, so there is a limit. */
export const manyIds = (missing: string, most = MOST_NAMED) =>
	v.pipe(
		v.union(
			[
				v.array(oneId(missing)),
				v.pipe(
					oneId(missing),
					v.transform((one) => [one])
				)
			],
			missing
		),
		v.minLength(1, missing),
		v.maxLength(most, `At most ${most.toLocaleString('en')} at once. Nothing was changed.`)
	);

/** Which state of a thing the form was made from, so that nobody overwrites what somebody else changed meanwhile. */
export const editNumber = v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number));

const INCOMPLETE = 'The form is not complete. Load the page again and try again.';
/** Where a schema has no words of its own Valibot's stand, which are for programmers. */
const wordsOf = (message: string): string => (message.startsWith('Invalid ') ? INCOMPLETE : message);

function misread(
	issues: readonly v.BaseIssue<unknown>[],
	place: (issue: v.BaseIssue<unknown>) => string = ({ message }) => message
): FormProblem {
	const words = (issue: v.BaseIssue<unknown>) => place({ ...issue, message: wordsOf(issue.message) });
	const problems: Record<string, string> = Object.create(null);
	for (const issue of issues) {
		const field = issue.path?.[0]?.key;
		if (typeof field === 'string') problems[field] ??= words(issue);
	}
	return { problem: words(issues[0]!), problems: { ...problems }, wantsReason: false };
}
