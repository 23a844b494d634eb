import {
	positionTargets,
	siteTargets,
	UNIT_TARGETS,
	type ConnectorKind,
	type SourceRow,
	type Target,
	type There,
	type ToCompare
} from '../../../core/connector';
import type { Field } from '../../../core/profile';
import type { ValueColumn } from '../../../core/plan';
import { database } from '../database';
import { fieldsOfRevision, revisionsById } from '../profile';
import { judgeForIntake, readForIntake } from '../intake';
import { colleagues, FACT_COLUMNS, likeOthers, patternById, stampColumns } from '../plan';

/** What stands here that a source is compared with; read as whoever the connector acts for. */
export interface Subject {
	readonly kind: ConnectorKind;
	readonly customerId: string;
	readonly patternId: string | null;
}

/** Which columns a source of this kind can give. */
export async function targetsOf(subject: Subject): Promise<readonly Target[]> {
	if (subject.kind === 'units') return UNIT_TARGETS;
	return subject.kind === 'sites'
		? siteTargets(await siteColumns(subject))
		: positionTargets(await positionFields());
}

async function siteColumns({ patternId }: Subject): Promise<readonly ValueColumn[]> {
	const pattern = patternId && (await patternById(database(), patternId));
	return pattern ? stampColumns(pattern) : [];
}

/** The fields that are given at positions, of every profile that a position can follow. */
async function positionFields(): Promise<readonly Field[]> {
	const released: string[] = await database()('profile')
		.whereNull('retired_at')
		.whereNotNull('released_revision_id')
		.orderBy('name')
		.pluck('released_revision_id');
	const fields = new Map<string, Field>();
	for (const revision of (await revisionsById(database(), released)).values())
		for (const field of fieldsOfRevision(revision))
			if ((field.scope === 'position' || field.scope === 'profile') && !fields.has(field.name))
				fields.set(field.name, field);
	return [...fields.values()];
}

/** What was sealed does not leave here to be compared. */
const OPEN = (column: string) =>
	`(select coalesce(jsonb_object_agg(key, value), '{}') from jsonb_each(${column}) where jsonb_typeof(value) <> 'string' or value #>> '{}' not like 'sealed:%')`;

/** All that a comparison needs: the source's rows, what stands here, and what is remembered. */
export async function toCompare(
	subject: Subject,
	rows: readonly SourceRow[],
	remembered: ToCompare['remembered']
): Promise<ToCompare> {
	const { kind, customerId } = subject;
	if (kind === 'units') return { kind, ...(await units(customerId, rows)), remembered };
	if (kind === 'positions') return { kind, rows, world: await positions(customerId), remembered };
	const [values, like, technicians, sites] = [
		await siteColumns(subject),
		await likeOthers(database(), customerId),
		await colleagues(database(), customerId),
		await standing(customerId)
	];
	return { kind, rows, world: { values, like, technicians, sites }, remembered };
}

async function standing(customerId: string) {
	const rows = await database()('site')
		.where({ customer_id: customerId })
		.orderBy('id')
		.select('site.id', ...FACT_COLUMNS, 'appointment_at as at', 'technician_id as technicianId')
		.select(database().raw(`${OPEN('values')} as values`));
	const { rows: places } = await database().raw(
		`select site_id, jsonb_agg(jsonb_build_object('name', name, 'values', ${OPEN('values')}) order by name) as places
		from position where customer_id = ? group by site_id`,
		[customerId]
	);
	const bySite = new Map(
		places.map((one: { site_id: string; places: unknown }) => [one.site_id, one.places])
	);
	return rows.map(({ id, at, technicianId, values, ...facts }) => ({
		...{ id, technicianId, values, facts },
		appointmentAt: (at as Date | null)?.getTime() ?? null,
		places: bySite.get(id) ?? []
	})) as unknown as Extract<ToCompare, { kind: 'sites' }>['world']['sites'];
}

async function positions(customerId: string): Promise<Extract<ToCompare, { kind: 'positions' }>['world']> {
	const [fields, sites, profiles, { rows }] = [
		await positionFields(),
		await database()('site').where({ customer_id: customerId }).pluck<string[]>('name'),
		await database()('profile').whereNull('retired_at').pluck<string[]>('name'),
		await database().raw(
			`select position.id, site.name as site, position.name, profile.name as profile, ${OPEN('position.values')} as values
			from position join site on site.id = site_id join profile on profile.id = profile_id where position.customer_id = ? order by position.id`,
			[customerId]
		)
	];
	return { fields, sites, profiles, positions: rows };
}

/** Rows are judged as the intake judges them, so many at a time. */
const AT_ONCE = 4_000;
const HEADINGS = UNIT_TARGETS.map(({ to }) => to);

/** A list of units as the intake reads it. */
export const unitList = (rows: readonly Pick<SourceRow, 'cells'>[]): string =>
	[HEADINGS, ...rows.map(({ cells }) => HEADINGS.map((to) => (cells[to] ?? '').replace(/\s+/g, ' ')))]
		.map((row) => row.join('\t'))
		.join('\n');

async function units(
	customerId: string,
	rows: readonly SourceRow[]
): Promise<Pick<Extract<ToCompare, { kind: 'units' }>, 'there' | 'here'>> {
	const own: { id: string; serial: string }[] = await database()('unit')
		.where({ customer_id: customerId })
		.orderBy('id')
		.select('id', 'serial');
	const there: There[] = [];
	for (let from = 0; from < rows.length; from += AT_ONCE) {
		const some = rows.slice(from, from + AT_ONCE);
		const list = await readForIntake(customerId, unitList(some));
		const judged = list.ok ? await judgeForIntake(customerId, list.done) : [];
		const byLine = new Map(judged.map((row) => [row.line, row]));
		some.forEach((row, index) => {
			// Below the headings
			const found = byLine.get(index + 2);
			const isGood = found && ['claimed', 'already-ours'].includes(found.verdict);
			there.push({
				...{ key: row.key, line: row.line, name: found?.serial ?? row.cells['serial number'] ?? '' },
				cells: isGood ? { ...row.cells, 'serial number': found.serial } : {},
				problems: isGood
					? row.problems
					: [...row.problems, found?.reason ?? (list.ok ? 'It says nothing of a unit.' : list.problem)]
			});
		});
	}
	return {
		there,
		here: own.map(({ id, serial }) => ({
			id,
			name: serial.toLowerCase(),
			cells: { 'serial number': serial }
		}))
	};
}
