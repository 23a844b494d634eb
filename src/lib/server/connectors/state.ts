import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import {
	CONNECTOR_KINDS,
	CONNECTOR_RHYTHMS,
	isPointer,
	LONGEST_KEY,
	MOST_COLUMNS,
	NEEDED_TARGETS,
	type Mapping
} from '../../../core/connector';
import { endAlertOf } from '../alerts';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enqueue } from '../database';
import { editNumber, oneId } from '../forms';
import { seal } from '../keys';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { outwardProblem } from '../outward';

/** The job of one reading. */
export const RUN_CONNECTOR = 'read a connector';

const MOST = 200;
const NOT_YOURS = 'Connectors are for whoever plans the customer’s sites.';
export const CONNECTOR_GONE = 'There is no such connector any more.';

const text = (most: number) =>
	v.optional(v.pipe(v.string(), v.trim(), v.maxLength(most, `At most ${most} characters.`)), '');
const pointer = v.pipe(text(200), v.check(isPointer, 'A place in JSON begins with a slash, such as /items.'));
const emptyOrId = (words: string) =>
	v.pipe(
		v.optional(v.union([v.literal(''), oneId(words)]), ''),
		v.transform((id) => id || null)
	);

export const connectorFormSchema = v.object({
	/** None: a new one. */
	id: emptyOrId('Which connector?'),
	edit: v.optional(editNumber, '0'),
	customer: emptyOrId('Choose a customer.'),
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(80, 'At most 80 characters.')
	),
	kind: v.optional(v.picklist(CONNECTOR_KINDS, 'Choose what it brings.'), 'sites'),
	/** Empty: its folder. */
	url: v.pipe(
		text(2_000),
		v.rawCheck(({ dataset, addIssue }) => {
			const problem = dataset.typed && dataset.value !== '' ? outwardProblem(dataset.value) : null;
			if (problem) addIssue({ message: problem });
		})
	),
	header: v.pipe(text(80), v.regex(/^[A-Za-z0-9-]*$/, 'A header’s name is such as Authorization.')),
	/** Empty: as it was. */
	headerValue: v.pipe(
		text(2_000),
		v.regex(/^[\x20-\x7e]*$/, 'A header holds plain letters, digits and marks.')
	),
	records: pointer,
	nextPage: pointer,
	pattern: emptyOrId('Choose a pattern.'),
	every: v.optional(
		v.pipe(
			v.picklist(Object.keys(CONNECTOR_RHYTHMS), 'Choose how often.'),
			v.transform((minutes) => Number(minutes) || null)
		),
		'0'
	),
	byItself: v.optional(v.literal('on'))
});

/**
 * States a connector. Whoever plans the customer's sites may; what it takes over by itself is done as whoever stated it last.
 * Refused: when somebody else has changed it since it was read. Customer and kind stay as they were.
 */
export const saveConnector = (
	given: v.InferOutput<typeof connectorFormSchema>,
	actor: Actor
): Promise<Act<{ readonly id: string }>> =>
	changing(async (trx) => {
		const { personId } = actor;
		const before = given.id
			? await trx('connector').where({ id: given.id, ended_at: null }).forUpdate().first()
			: undefined;
		if (given.id && !before) return refuse(CONNECTOR_GONE);
		const customerId: string | null = before?.customer_id ?? given.customer;
		if (!customerId) return refuse('Choose a customer.');
		if (!personId || !actor.may('plan sites', customerId)) return refuse(NOT_YOURS);
		if (before && before.edit !== given.edit)
			return refuse('Somebody else has changed this connector meanwhile. Load the page again to see it.');
		if (
			given.pattern &&
			!(await trx('site_pattern').where({ id: given.pattern, customer_id: customerId }).first('id'))
		)
			return refuse('The pattern is another customer’s, or is gone.');
		const isSameSource =
			before &&
			before.url === (given.url || null) &&
			before.records === given.records &&
			before.header === given.header;
		// What a header holds goes to the address that it was given for, and to no other
		const keepsHeader = isSameSource && given.header !== '' && given.headerValue === '';
		if (given.header !== '' && given.headerValue === '' && !keepsHeader)
			return refuse('Say what the header holds: it was given for another address.');
		const row = {
			name: given.name,
			url: given.url || null,
			header: given.header,
			...(!keepsHeader && { header_value: given.headerValue ? seal(given.headerValue) : null }),
			records: given.records,
			next_page: given.nextPage,
			pattern_id: given.pattern,
			every_minutes: given.every,
			by_itself: given.byItself === 'on',
			person_id: personId,
			stated_by: actor.name,
			next_at: trx.fn.now(),
			failures: 0,
			trouble: ''
		};
		const id: string = before?.id ?? uuid();
		if (before)
			await trx('connector')
				.where({ id })
				.update({ ...row, edit: given.edit + 1 });
		else {
			const stated = await trx('connector')
				.where({ ended_at: null, customer_id: customerId })
				.count('* as count')
				.first();
			if (Number(stated?.count) >= MOST) return refuse(`The customer has ${MOST} connectors already.`);
			await trx('connector').insert({ id, customer_id: customerId, kind: given.kind, ...row });
		}
		const said = ({
			name,
			url,
			every_minutes,
			by_itself
		}: Pick<typeof row, 'name' | 'url' | 'every_minutes' | 'by_itself'>) => ({
			name,
			// What stands behind an address can be a secret of its owner's
			from: url === null ? 'its folder' : new URL(url).origin,
			everyMinutes: every_minutes,
			byItself: by_itself
		});
		await entered(
			trx,
			actor,
			{ id, customer_id: customerId },
			{
				act: 'state connector',
				words: `The connector “${given.name}” reads ${row.url === null ? 'its folder' : new URL(row.url).host}${row.every_minutes ? `, ${CONNECTOR_RHYTHMS[row.every_minutes as 15]}` : ''}.`,
				before: before ? said(before) : {},
				after: said(row)
			}
		);
		return done({ id });
	}, {});

const column = v.pipe(v.string(), v.maxLength(LONGEST_KEY));
const columns = v.pipe(
	v.optional(v.union([column, v.array(column)]), []),
	v.transform((given) => [given].flat()),
	v.maxLength(MOST_COLUMNS, `At most ${MOST_COLUMNS} columns.`)
);
export const mappingFormSchema = v.object({
	connector: oneId('Which connector?'),
	edit: editNumber,
	key: v.pipe(column, v.minLength(1, 'Say which column tells the records apart.')),
	/** Heading by heading, what each is; empty: it is left out. */
	from: columns,
	to: columns
});

/** States which of a source's columns is which. Whoever plans the customer's sites may. */
export const saveMapping = (
	{ connector: id, edit, key, from, to }: v.InferOutput<typeof mappingFormSchema>,
	actor: Actor
): Promise<Act> =>
	onTheirs(id, actor, async (trx, connector) => {
		if (connector.edit !== edit)
			return refuse('Somebody else has changed this connector meanwhile. Load the page again to see it.');
		const columns = from.flatMap((name, at) => (to[at] ? [{ from: name, to: to[at] }] : []));
		const twice = columns.find((one, at) => columns.findIndex((other) => other.to === one.to) !== at);
		if (twice) return refuse(`“${twice.to}” is given twice. Choose one column for it.`);
		const missing = NEEDED_TARGETS[connector.kind].filter((name) => !columns.some((one) => one.to === name));
		if (missing.length > 0)
			return refuse(`Say which column is ${missing.map((name) => `“${name}”`).join(' and ')}.`);
		const mapping: Mapping = { key, columns };
		await trx('connector')
			.where({ id })
			.update({ mapping: JSON.stringify(mapping), edit: edit + 1 });
		await entered(trx, actor, connector, {
			act: 'map connector',
			words: `“${connector.name}” takes ${columns.length} columns of its source; “${key}” tells its records apart.`,
			before: { mapping: connector.mapping },
			after: { mapping }
		});
		return done(undefined);
	});

export const connectorSchema = v.object({ connector: oneId('Which connector?') });

/** Reads a source now: only its columns, or to compare it. Whoever plans the customer's sites may. */
export const readNow = (
	{ connector: id }: v.InferOutput<typeof connectorSchema>,
	actor: Actor,
	isLook: boolean
): Promise<Act> =>
	onTheirs(id, actor, async (trx, connector) => {
		if (!isLook && connector.mapping === null) return refuse('Choose first which of its columns is which.');
		const run = await toRun(trx, connector, actor.name, isLook);
		if (!run) return refuse('It is being read just now.');
		await entered(trx, actor, connector, {
			act: 'read connector',
			words: `“${connector.name}” is read${isLook ? ' for its columns' : ' and compared'}.`
		});
		return done(undefined);
	});

/** Nothing is read any more; what was taken over stays. Whoever plans the customer's sites may. */
export const endConnector = (
	{ connector: id }: v.InferOutput<typeof connectorSchema>,
	actor: Actor
): Promise<Act> =>
	onTheirs(id, actor, async (trx, connector) => {
		await trx('connector').where({ id }).update({ ended_at: trx.fn.now(), header_value: null });
		await endAlertOf(trx, id, connector.customer_id);
		await entered(trx, actor, connector, {
			act: 'end connector',
			words: `“${connector.name}” is no longer read.`
		});
		return done(undefined);
	});

export interface StatedConnector {
	readonly id: string;
	readonly customer_id: string;
	readonly name: string;
	readonly kind: (typeof CONNECTOR_KINDS)[number];
	readonly mapping: Mapping | null;
	readonly pattern_id: string | null;
	readonly edit: number;
}
/** A connector of a customer whose sites somebody plans, held for the transaction. */
export async function ofTheirs(trx: Knex, id: string, actor: Actor): Promise<Act<StatedConnector>> {
	const connector: StatedConnector | undefined = await trx('connector')
		.where({ id, ended_at: null })
		.forUpdate()
		.first();
	if (!connector) return refuse(CONNECTOR_GONE);
	return actor.may('plan sites', connector.customer_id) ? done(connector) : refuse(NOT_YOURS);
}
const onTheirs = <Given>(
	id: string,
	actor: Actor,
	act: (trx: Knex, connector: StatedConnector) => Promise<Act<Given>>
): Promise<Act<Given>> =>
	changing(async (trx) => {
		const connector = await ofTheirs(trx, id, actor);
		return connector.ok ? act(trx, connector.done) : connector;
	});

export async function entered(
	trx: Knex,
	actor: Actor,
	{ id, customer_id }: Pick<StatedConnector, 'id' | 'customer_id'>,
	said: Pick<LedgerAct, 'act' | 'words' | 'before' | 'after' | 'detail'>
): Promise<void> {
	await enterInLedger(trx, actor, [
		{ customerId: customer_id, subjectKind: 'connector', subjectId: id, ...said }
	]);
	await notify(trx, 'connectors', customer_id, [id]);
}

/** Has a connector read beside the requests; null: that is waited for already. */
export async function toRun(
	trx: Knex,
	{ id, customer_id }: Pick<StatedConnector, 'id' | 'customer_id'>,
	askedBy: string | null,
	isLook = false
): Promise<string | null> {
	const run = uuid();
	const { rowCount } = await trx.raw(
		`insert into connector_run (id, connector_id, customer_id, asked_by, is_look) values (?, ?, ?, ?, ?)
		on conflict (connector_id) where state = 'waiting' do nothing`,
		[run, id, customer_id, askedBy, isLook]
	);
	if (rowCount === 0) return null;
	await enqueue(trx, RUN_CONNECTOR, { run }, { key: `${RUN_CONNECTOR} ${run}` });
	return run;
}
