import { isSecretType, ownFor, readValue, type OwnStatement, type Values } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { database, identity, runAs } from '../database';
import { seal } from '../keys';
import { log } from '../log';
import { notify } from '../live';
import {
	fieldsOfRevision,
	GatheredImpact,
	impactAt,
	renderingSources,
	renderManyApart,
	type ImpactPosition,
	type PositionRendering,
	type RenderingSource
} from '../profile';
import { smallChangeById, type SmallChangeResult } from './store';
import type { What } from './what';

const AT_ONCE = 40;
/** What has not moved for so long has died with its process, and may be looked at anew. */
const STALE = '20 seconds';

/**
 * Looks at what a small change would come to, beside the requests: at each position what it would run otherwise, or why
 * nothing. Whoever began it may. Refused: while it is being looked at, and once it is part of the plan.
 */
export async function lookAtSmallChange(id: string, what: What): Promise<Act> {
	const rows = await database()('small_change')
		.where({ id })
		.where((open) =>
			open
				.whereIn('state', ['open', 'done', 'failed'])
				.orWhereRaw(`state = 'working' and touched_at < now() - interval '${STALE}'`)
		)
		.update({
			what: seal(JSON.stringify(what)),
			statements: null,
			result: null,
			edit: database().raw('edit + 1'),
			state: 'working',
			done: 0,
			touched_at: database().fn.now()
		})
		.returning('edit');
	if (rows.length === 0) return refuse('It is being looked at, or is part of the plan already.');
	const edit = rows[0].edit as number;
	void runAs(identity(), () => compute(id, edit, what));
	return done(undefined);
}

async function compute(id: string, edit: number, what: What): Promise<void> {
	const progress = (now: Readonly<Record<string, unknown>>) =>
		database().transaction(async (trx) => {
			await trx('small_change')
				.where({ id, edit })
				.update({ ...now, touched_at: trx.fn.now() });
			await notify(trx, 'profiles', null, [id]);
		});
	try {
		const change = await smallChangeById(id);
		const positions = await placesOf(change?.positions ?? []);
		const looked = new Looked(what);
		for (let from = 0; from < positions.length; from += AT_ONCE) {
			await looked.at(positions.slice(from, from + AT_ONCE));
			await progress({ done: Math.min(from + AT_ONCE, positions.length) });
		}
		await progress({
			state: 'done',
			result: JSON.stringify(looked.result()),
			statements: what.kind === 'text' ? seal(JSON.stringify(looked.statements)) : null
		});
	} catch (error) {
		log.error({ change: id, error: (error as Error).stack }, 'a small change could not be looked at');
		await progress({ state: 'failed' }).catch(() => undefined);
	}
}

const placesOf = (ids: readonly string[]): Promise<ImpactPosition[]> =>
	database()('position')
		.join('site', 'site.id', 'site_id')
		.join('customer', 'customer.id', 'position.customer_id')
		.whereIn('position.id', [...ids])
		.orderBy(['customer.name', 'site.name', 'position.name'])
		.select(
			'position.id',
			'position.name',
			'site.id as siteId',
			'site.name as siteName',
			'customer.name as customerName'
		);

/** What positions get of their own, those together that get the same. */
export interface OwnAtMany {
	readonly dialect: string;
	readonly statements: readonly OwnStatement[];
	readonly positions: string[];
}
type Next =
	| { readonly ok: true; readonly source: RenderingSource; readonly own: readonly OwnStatement[] }
	| { readonly ok: false; readonly words: string };
const not = (words: string): Next => ({ ok: false, words });

/** What was looked at so far. */
class Looked {
	readonly #gathered = new GatheredImpact();
	readonly #left = new Map<string, number>();
	readonly #changed: string[] = [];
	readonly #own = new Map<string, OwnAtMany>();

	constructor(private readonly what: What) {}

	async at(positions: readonly ImpactPosition[]): Promise<void> {
		const sources = await renderingSources(
			database(),
			positions.map(({ id }) => id)
		);
		const present = positions.flatMap((position) => {
			const source = sources.get(position.id);
			return source ? [{ position, source }] : [];
		});
		const now = await renderManyApart(present.map(({ source }) => source));
		const next = present.flatMap(({ position, source }, index) => {
			const changed = changedBy(this.what, source, now[index]!);
			if (changed.ok) return [{ position, before: { source, rendering: now[index]! }, ...changed }];
			this.#leave(changed.words);
			return [];
		});
		const then = await renderManyApart(next.map(({ source }) => source));
		for (const [index, { position, before, source, own }] of next.entries()) {
			const impact = impactAt(position, before, { source, rendering: then[index]! });
			if (impact.change.kind === 'same') {
				this.#leave('It is so already.');
				continue;
			}
			this.#gathered.add(impact);
			// What cannot be computed any more, or would cut the unit off, is shown and not done
			if (impact.change.kind !== 'changed' || impact.words !== '') continue;
			this.#changed.push(position.id);
			if (own.length > 0) this.#keepOwn(position.id, source.model!.dialect, own);
		}
	}

	#leave(words: string): void {
		this.#left.set(words, (this.#left.get(words) ?? 0) + 1);
	}
	#keepOwn(positionId: string, dialect: string, statements: readonly OwnStatement[]): void {
		const key = JSON.stringify([dialect, statements]);
		const known = this.#own.get(key);
		if (known) known.positions.push(positionId);
		else this.#own.set(key, { dialect, statements, positions: [positionId] });
	}

	get statements(): readonly OwnAtMany[] {
		return [...this.#own.values()];
	}
	result = (): SmallChangeResult => ({
		...this.#gathered.result(),
		left: [...this.#left].map(([words, count]) => ({ words, count })).sort((a, b) => b.count - a.count),
		changed: this.#changed
	});
}

function changedBy(what: What, source: RenderingSource, now: PositionRendering): Next {
	if (!source.revision || !source.model) return not('Its profile has no released revision, or no model.');
	return what.kind === 'value' ? withValue(what, source) : withText(what, source, now);
}

function withValue({ field, value }: Extract<What, { kind: 'value' }>, source: RenderingSource): Next {
	const known = fieldsOfRevision(source.revision!).find(({ name }) => name === field);
	if (!known) return not(`Its profile has no field “${field}”.`);
	if (isSecretType(known.type)) return not('Secrets are renewed under Upkeep, Secrets.');
	const read = value === '' ? null : readValue(known.type, value);
	if (read?.ok === false) return not(read.message);
	const others = Object.entries(source.scoped.position ?? {}).filter(([name]) => name !== field);
	const position: Values = Object.fromEntries(read ? [...others, [field, read.value]] : others);
	return { ok: true, source: { ...source, scoped: { ...source.scoped, position } }, own: [] };
}

function withText(
	what: Extract<What, { kind: 'text' }>,
	source: RenderingSource,
	now: PositionRendering
): Next {
	if (!now.ok) return not('What it should run cannot be computed.');
	const { dialect, rules } = source.model!;
	const own = ownFor(now.text, what, dialect, rules);
	if (!own.ok) return not(own.message);
	if (own.statements.length === 0) return not('It is so already.');
	const before = source.own?.statements ?? [];
	return {
		ok: true,
		source: { ...source, own: { dialect, statements: [...before, ...own.statements] } },
		own: own.statements
	};
}
