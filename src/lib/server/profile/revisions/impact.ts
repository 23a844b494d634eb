import { v7 as uuid } from 'uuid';
import { changeBetween, groupChanges, type Change } from '../../../../core/profile';
import { database, identity, runAs } from '../../database';
import { log } from '../../log';
import { notify } from '../../live';
import {
	piecesAt,
	renderManyApart,
	secretsAt,
	strandingAt,
	touchesUplink,
	type PositionRendering
} from './renderings';
import { renderingSources, type RenderingSource } from '../sources';

/**
 * What releasing a draft would change, position by position, computed beside the requests. It is kept for
 * the draft as it was when it was asked for and for whoever asked, since each sees what they may.
 */
export interface ImpactPosition {
	readonly id: string;
	readonly name: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly customerName: string;
}
export interface ImpactGroup {
	readonly change: Change;
	readonly positions: readonly ImpactPosition[];
}
export interface ImpactResult {
	readonly groups: readonly ImpactGroup[];
	/** Positions whose unit could not be reached any more, by why. */
	readonly stranded: readonly { readonly words: string; readonly positions: readonly ImpactPosition[] }[];
	/** Positions whose uplink itself would be configured otherwise. */
	readonly uplink: readonly ImpactPosition[];
}
export interface Impact {
	readonly id: string;
	readonly edit: number;
	readonly state: 'working' | 'done' | 'failed';
	readonly done: number;
	readonly total: number;
	readonly result: ImpactResult | null;
}

/** So many positions are read and rendered before other requests get their turn. */
const AT_ONCE = 40;
const ROUND = 400;
/** A computation that has not moved for so long has died with its process. */
const STALE_SECONDS = 20;

/** The impact of a draft for one person; begins computing it when nobody has, or goes on when it was cut off. */
export async function impactOf(
	revision: { readonly id: string; readonly edit: number; readonly profileId: string },
	personId: string
): Promise<Impact> {
	const wanted = { revision_id: revision.id, edit: revision.edit, person_id: personId };
	const { rows } = await database().raw(
		`insert into impact (id, revision_id, edit, person_id) values (:id, :revision_id, :edit, :person_id)
		on conflict (revision_id, edit, person_id) do update set touched_at = now(), state = 'working', done = 0
			where impact.state = 'failed' or (impact.state = 'working' and impact.touched_at < now() - make_interval(secs => :stale))
		returning id`,
		{ ...wanted, id: uuid(), stale: STALE_SECONDS }
	);
	if (rows[0]) {
		const who = identity();
		void runAs(who, () => compute(rows[0].id as string, revision));
	}
	return database()('impact').where(wanted).first('id', 'edit', 'state', 'done', 'total', 'result');
}

/** At how many positions a draft would strand a unit: as somebody was shown it, or computed now. */
export async function strandedBy(
	revision: { readonly id: string; readonly edit: number; readonly profileId: string },
	personId: string | null
): Promise<number> {
	const shown = personId
		? await database()('impact')
				.where({ revision_id: revision.id, edit: revision.edit, person_id: personId, state: 'done' })
				.first('result')
		: undefined;
	if (shown)
		return (shown.result as ImpactResult).stranded.reduce((sum, { positions }) => sum + positions.length, 0);
	let count = 0;
	const positions = await positionsWith(revision.profileId);
	for (let from = 0; from < positions.length; from += ROUND)
		for await (const { words } of changesAt(positions.slice(from, from + ROUND), revision))
			if (words) count++;
	return count;
}

const positionsWith = (profileId: string): Promise<ImpactPosition[]> =>
	database()('position')
		.join('site', 'site.id', 'site_id')
		.join('customer', 'customer.id', 'position.customer_id')
		.where({ profile_id: profileId })
		.orderBy(['customer.name', 'site.name', 'position.name'])
		.select(
			'position.id',
			'position.name',
			'site.id as siteId',
			'site.name as siteName',
			'customer.name as customerName'
		);

async function compute(
	id: string,
	revision: { readonly id: string; readonly profileId: string }
): Promise<void> {
	try {
		const positions = await positionsWith(revision.profileId);
		await progress(id, { total: positions.length });
		const gathered = new GatheredImpact();
		for (let from = 0; from < positions.length; from += ROUND) {
			for await (const one of changesAt(positions.slice(from, from + ROUND), revision)) gathered.add(one);
			await progress(id, { done: Math.min(from + ROUND, positions.length) });
		}
		await progress(id, { state: 'done', result: JSON.stringify(gathered.result()) });
	} catch (error) {
		log.error({ impact: id, error: (error as Error).stack }, 'the impact of a release could not be computed');
		await progress(id, { state: 'failed' }).catch(() => undefined);
	}
}

const progress = (id: string, now: Record<string, unknown>): Promise<void> =>
	database().transaction(async (trx) => {
		await trx('impact')
			.where({ id })
			.update({ ...now, touched_at: trx.fn.now() });
		await notify(trx, 'profiles', null, [id]);
	});

/** Collects what changes, position by position. */
export class GatheredImpact {
	readonly #changes: (readonly [ImpactPosition, Change])[] = [];
	readonly #stranded = new Map<string, ImpactPosition[]>();
	readonly #uplink: ImpactPosition[] = [];

	add({ position, change, words, onUplink }: ImpactAt): void {
		this.#changes.push([position, change]);
		if (onUplink) this.#uplink.push(position);
		if (words) this.#stranded.set(words, [...(this.#stranded.get(words) ?? []), position]);
	}
	result = (): ImpactResult => ({
		groups: groupChanges(this.#changes),
		stranded: [...this.#stranded].map(([words, positions]) => ({ words, positions })),
		uplink: this.#uplink
	});
}

/** A rendering of a source. */
interface RenderedSource {
	readonly source: RenderingSource;
	readonly rendering: PositionRendering;
}
/** What changes at one position between two renderings of it. */
export function impactAt(
	position: ImpactPosition,
	{ source: old, rendering: now }: RenderedSource,
	{ source: next, rendering: then }: RenderedSource
): ImpactAt {
	const pieces = { before: piecesAt(old), after: piecesAt(next) };
	const change = changeBetween(now, then, pieces, secretsAt(next, then.values));
	return {
		position,
		change,
		words: strandingAt(next, then).join(' '),
		onUplink: change.kind === 'changed' && touchesUplink(next, now, then)
	};
}

interface ImpactAt {
	readonly position: ImpactPosition;
	readonly change: Change;
	/** Why the unit would be stranded; empty when it would not. */
	readonly words: string;
	readonly onUplink: boolean;
}

async function* changesAt(
	positions: readonly ImpactPosition[],
	revision: { readonly id: string; readonly profileId: string }
): AsyncGenerator<ImpactAt> {
	const ids = positions.map(({ id }) => id);
	const [before, after] = await Promise.all([
		renderingSources(database(), ids),
		renderingSources(database(), ids, { revisions: new Map([[revision.profileId, revision.id]]) })
	]);
	// Gone meanwhile are those that have no source any more
	const present = positions.flatMap((position) => {
		const [old, next] = [before.get(position.id), after.get(position.id)];
		return old && next ? [{ position, old, next }] : [];
	});
	const parts = Array.from({ length: Math.ceil(present.length / AT_ONCE) }, (_, part) =>
		present.slice(part * AT_ONCE, (part + 1) * AT_ONCE)
	);
	const render = async (part: number) =>
		parts[part] ? renderManyApart(parts[part].flatMap(({ old, next }) => [old, next])) : [];
	// One part is rendered in its thread while the one before it is compared here
	let coming = render(0);
	for (const [number, some] of parts.entries()) {
		const rendered = await coming;
		coming = render(number + 1);
		coming.catch(() => undefined);
		for (const [index, { position, old, next }] of some.entries()) {
			yield impactAt(
				position,
				{ source: old, rendering: rendered[2 * index]! },
				{ source: next, rendering: rendered[2 * index + 1]! }
			);
		}
		await new Promise((resolve) => setImmediate(resolve));
	}
}

const MOST_NAMED = 120;
const MOST_MENTIONED = 5;

/** The result as a page can show it: with ten thousand positions the counts are what counts. */
export function shownImpact({ groups, stranded, uplink }: ImpactResult) {
	const counted = (positions: readonly ImpactPosition[], most: number) => ({
		count: positions.length,
		sites: new Set(positions.map(({ siteId }) => siteId)).size,
		named: positions.slice(0, most)
	});
	return {
		groups: groups.map(({ change, positions }) => ({
			change,
			...counted(positions, change.kind === 'same' ? 0 : MOST_NAMED)
		})),
		stranded: stranded.map(({ words, positions }) => ({ words, ...counted(positions, MOST_MENTIONED) })),
		uplink: counted(uplink, MOST_MENTIONED)
	};
}
