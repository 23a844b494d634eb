import { counted } from '../../../../core/text';
import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import {
	compareStamping,
	readSiteList,
	valueHeading,
	type SiteFacts,
	type StampRow,
	type ValueColumn
} from '../../../../core/plan';
import { describeType, isSecretName, isSecretType, MASK } from '../../../../core/profile';
import { done, refuse, type Act } from '../../act';
import { changing, TakenBack } from '../../change';
import { database } from '../../database';
import { enterInLedger, type Actor, type LedgerAct } from '../../ledger';
import { notify } from '../../live';
import { allotAt } from '../pools/allotting';
import { NOT_PLANNED_BY_YOU } from './patterns';
import { MOST_LOOKED_AT, outlooksOf, plannedSites, type Outlook, type PlannedSites } from '../sites/outlook';
import { sheetColumns } from '../sheet/sheet';
import { changeStanding, insertNew } from './stamp-rows';
import { colleagues, patternById, standingSites, type StoredPattern } from '../sites/standing-sites';

/** What somebody wants stamped. */
export interface Stamping {
	readonly patternId: string;
	/** The sheet, its first row the headings. */
	readonly cells: readonly (readonly string[])[];
	/** Also change the sites that stand already. */
	readonly also: boolean;
	/** Give each new site what the customer's pools have for it. */
	readonly allot: boolean;
	/** How long somebody is at each new site; where it is not said, as long as usual. */
	readonly minutes?: number;
}
/** A row as it is sealed: what is done must be what was shown. */
type SealedRow = Omit<ShownRow, 'outlook'>;
/** A row as it is shown before anything happens. */
export type ShownRow = Pick<StampRow, 'line' | 'name' | 'verdict' | 'problems' | 'differences' | 'siteId'> & {
	readonly place: string;
	readonly appointmentAt: number | null;
	readonly timeZone: string;
	/** What a new site is given, and what it still lacks; null where that was not looked at. */
	readonly outlook: Outlook | null;
};

export interface StampOutcome {
	readonly rows: readonly ShownRow[];
	readonly unknown: readonly { readonly heading: string; readonly meant: string | null }[];
	readonly known: readonly string[];
	readonly created: number;
	readonly changed: number;
	/** How many values the pools gave. */
	readonly allotted: number;
	/** Stands for all of the above: what is done must be what was shown. */
	readonly seal: string;
}

/** The value columns that a list for a pattern can have. */
export async function stampColumns(
	pattern: StoredPattern,
	knex: Knex = database()
): Promise<readonly ValueColumn[]> {
	const columns = new Map<string, ValueColumn>();
	for (const place of pattern.places)
		for (const { field, target, secret } of await sheetColumns({ profileId: place.profileId }, knex)) {
			if (target === 'customer') continue;
			const column = { position: target === 'site' ? null : place.name, field, secret };
			if (!columns.has(valueHeading(column))) columns.set(valueHeading(column), column);
		}
	return [...columns.values()];
}

/** The same columns for a file to be filled: what each takes, in a row that explains. */
export const explainColumn = ({ field }: ValueColumn): string =>
	[
		describeType(field.type),
		field.description,
		field.formula === undefined ? '' : `computed when empty: ${field.formula}`,
		field.example && `such as ${field.example}`
	]
		.filter(Boolean)
		.join('. ');

/** What else is read of sites as they would be, before stamping is taken back. */
type AlsoRead = (trx: Knex, siteIds: readonly string[]) => Promise<void>;

/** What stamping would do, down to what pools would give; nothing is kept. */
export const tryStamping = (
	stamping: Stamping,
	actor: Actor,
	alsoRead?: AlsoRead
): Promise<Act<StampOutcome>> => stamp(stamping, actor, null, alsoRead);

/** Stamps as it was shown. Lines that are wrong are left out; when anything else has changed since, nothing is done. */
export const stampSites = (stamping: Stamping, seal: string, actor: Actor): Promise<Act<StampOutcome>> =>
	stamp(stamping, actor, seal);

/** Stamps what is new in a list, as part of another act; what is wrong with a line is said, and the line left out. */
export async function stampIn(
	trx: Knex,
	stamping: Stamping,
	actor: Actor
): Promise<Act<{ created: readonly string[]; problems: readonly string[] }>> {
	const made = await make(trx, stamping, actor);
	if (!made.ok) return made;
	const { created, rows } = made.done;
	if (created.length > 0) await tell(trx, made.done, stamping, actor);
	return done({ created, problems: rows.flatMap(({ problems }) => problems) });
}

async function stamp(
	stamping: Stamping,
	actor: Actor,
	seal: string | null,
	alsoRead?: AlsoRead
): Promise<Act<StampOutcome>> {
	let tried: StampOutcome | undefined;
	let planned: PlannedSites | undefined;
	const act = await changing<StampOutcome>(async (trx) => {
		const made = await make(trx, stamping, actor);
		if (!made.ok) return made;
		const { created, outcome } = made.done;
		if (seal === null) {
			planned = await plannedSites(trx, created);
			await alsoRead?.(trx, created.slice(0, MOST_LOOKED_AT));
			tried = outcome;
			throw new TakenBack(refuse(''));
		}
		if (seal !== outcome.seal)
			throw new TakenBack(
				refuse('Something has changed since this was compared. Compare again; nothing was stamped.')
			);
		if (outcome.created + outcome.changed === 0)
			return refuse('There is nothing to stamp: every site stands already.');
		await tell(trx, made.done, stamping, actor);
		return done(outcome);
	});
	if (!tried || !planned) return act;
	const outlooks = await outlooksOf(planned);
	const rows = tried.rows.map((row) => ({ ...row, outlook: outlooks.get(row.name) ?? null }));
	return done({ ...tried, rows });
}

/** What was stamped, before it is told. */
interface Stamped {
	readonly pattern: StoredPattern;
	readonly rows: readonly StampRow[];
	/** The ids of new sites. */
	readonly created: readonly string[];
	readonly outcome: StampOutcome;
	readonly fromPools: readonly LedgerAct[];
}

async function make(trx: Knex, stamping: Stamping, actor: Actor): Promise<Act<Stamped>> {
	const pattern = await patternById(trx, stamping.patternId);
	if (!pattern) return refuse('There is no such pattern any more.');
	const { customerId } = pattern;
	if (!actor.may('plan sites', customerId)) return refuse(NOT_PLANNED_BY_YOU);
	await trx('customer').where({ id: customerId }).forNoKeyUpdate().first('id');
	const columns = await stampColumns(pattern, trx);
	const reading = readSiteList(stamping.cells, columns, (cell) => cell === MASK);
	if (!reading.ok) return refuse(reading.problem);
	const names = reading.lines.map(({ name }) => name.toLowerCase());
	const sites = await standingSites(trx, (query) =>
		query.where('site.customer_id', customerId).whereRaw('lower(site.name) = any (?)', [names])
	);
	const secrets = new Set(columns.flatMap(({ field }) => (isSecretType(field.type) ? [field.name] : [])));
	const profileNames = await profilesByName(trx);
	const rows = compareStamping(reading.lines, {
		pattern,
		sites: new Map(sites.map((site) => [site.facts.name.toLowerCase(), site])),
		like: await likeOthers(trx, customerId),
		technicians: new Map((await colleagues(trx, customerId)).map(({ id, name }) => [name.toLowerCase(), id])),
		profileName: (id) => profileNames.get(id) ?? 'a profile',
		isSecret: (field) => secrets.has(field) || isSecretName(field)
	});
	const created = await insertNew(trx, pattern, rows, stamping.minutes);
	const changed = stamping.also ? await changeStanding(trx, pattern, rows) : 0;
	const fromPools = stamping.allot ? await allotAt(trx, customerId, created) : done([]);
	if (!fromPools.ok)
		throw new TakenBack(
			refuse(`${fromPools.problem} Make the pool larger, or stamp without addresses from the pools.`)
		);
	const shown = rows.map(shownRow);
	const outcome: StampOutcome = {
		rows: shown.map((row) => ({ ...row, outlook: null })),
		unknown: reading.unknown,
		known: reading.known,
		created: created.length,
		changed,
		allotted: fromPools.done.reduce((sum, { after }) => sum + Object.keys(after ?? {}).length, 0),
		seal: sealOf(shown, pattern.edit)
	};
	return done({ pattern, rows, created, outcome, fromPools: fromPools.done });
}

async function tell(
	trx: Knex,
	{ pattern, rows, outcome: { created, changed }, fromPools }: Stamped,
	{ also }: Stamping,
	actor: Actor
): Promise<void> {
	await notify(trx, 'plan', pattern.customerId);
	await enterInLedger(trx, actor, [
		{
			act: 'stamp sites',
			customerId: pattern.customerId,
			subjectKind: 'pattern',
			subjectId: pattern.id,
			words: `${counted(created, 'site')} stamped from pattern “${pattern.name}”${changed > 0 ? `, ${changed} that stood already changed` : ''}.`,
			detail: {
				sites: rows.flatMap(({ name, verdict }) =>
					verdict === 'new' || (also && verdict === 'differs') ? [name] : []
				)
			}
		},
		...fromPools
	]);
}

const shownRow = (row: StampRow): SealedRow => ({
	line: row.line,
	name: row.name,
	verdict: row.verdict,
	problems: row.problems,
	differences: row.differences,
	siteId: row.siteId,
	place: [row.facts.street, row.facts.locality].filter(Boolean).join(', '),
	appointmentAt: row.appointmentAt,
	timeZone: row.facts.timeZone
});

const sealOf = (rows: readonly SealedRow[], edit: number): string =>
	createHash('sha256')
		.update(JSON.stringify([edit, rows]))
		.digest('base64url');

const profilesByName = async (trx: Knex): Promise<ReadonlyMap<string, string>> =>
	new Map((await trx('profile').select('id', 'name')).map(({ id, name }) => [id, name]));

/** Where a list says nothing, a new site is like most sites of its customer. */
export async function likeOthers(trx: Knex, customerId: string): Promise<Partial<SiteFacts>> {
	const { rows } = await trx.raw(
		`select mode() within group (order by time_zone) as "timeZone", mode() within group (order by uplink) as uplink,
			mode() within group (order by country) as country from site where customer_id = ?`,
		[customerId]
	);
	return Object.fromEntries(Object.entries(rows[0]).filter(([, value]) => value !== null));
}
