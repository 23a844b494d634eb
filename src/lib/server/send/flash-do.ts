import { flashWords, type Flash, type FlashEvent } from '../../../core/firmware';
import { URGENT } from '../../../core/errand';
import type { FlashRule, ToldImage } from '../../../core/pack';
import { patternOf } from '../../../core/pattern';
import {
	askErrand,
	ConnectionBroke,
	onErrand,
	onWelcome,
	type ClaimedErrand,
	type Dialogue
} from '../connections';
import { BOOTSTRAP, database, grouped, runAs, timeNow } from '../database';
import { findImage, imageAddress } from '../firmware';
import { onBeat } from '../jobs';
import { log } from '../log';
import { afterEnd } from './do';
import { noteArriving, openFlash, recordFlash, type StoredFlash } from './flash-store';
import type { Fence } from './store';

/** From now on units are flashed when they are to be, and what was begun is looked after until it has ended. */
export function startFlashes(): void {
	onErrand('flash', goOn);
	onWelcome(({ unitId }) => goOnWhenItComes(unitId));
	onBeat(lookAfter);
}

const NO_RULE = 'The pack of this model does not say any more how its firmware is changed.';
const WITHDRAWN = 'The image was withdrawn, or is not there any more.';
const NEVER_WHOLE = 'The image did not arrive whole in time.';

/** Looks what the unit runs and how its image is doing, and says what comes next. */
async function goOn({ id, unit, session }: ClaimedErrand, dialogue: Dialogue) {
	const stored = await openFlash(unit.unitId);
	if (!stored) return 'No change of firmware is under way.';
	const fence: Fence = { errandId: id, session };
	const settles = (dialogue.flashing?.seconds ?? 0) * 1000;
	const tell = (event: FlashEvent) => recordFlash(stored.id, event, fence, settles);
	const asked = timeNow();
	const version = (await dialogue.read('version')).rows[0]!.version!;
	const rule = dialogue.flashing;
	const flash = await tell({ kind: 'runs', version, anew: session !== stored.session, at: asked });
	const giveUp = async (words: string): Promise<string> => {
		if (flash.state === 'fetching')
			await dialogue.flash('undo', await toldImage(stored, flash)).catch(unlessItBroke);
		await tell({ kind: 'given up', words });
		throw new Error(words);
	};
	switch (flash.state) {
		case 'waiting': {
			if (!rule) return giveUp(NO_RULE);
			if (!(await mayBeUsed(stored, flash))) return giveUp(WITHDRAWN);
			await tell({ kind: 'fetch said', at: timeNow() });
			return fetch(stored, flash, dialogue, giveUp);
		}
		case 'fetching':
			if (!rule) return giveUp(NO_RULE);
			if (!(await mayBeUsed(stored, flash))) return giveUp(WITHDRAWN);
			return whileItFetches({ stored, flash, rule, dialogue, session, tell, giveUp });
		case 'installing':
			return session === stored.session
				? 'It has not restarted yet.'
				: 'It runs what it ran before; it may still be writing.';
		default:
			if (flash.state === 'done') await afterEnd(stored);
			return flashWords(flash.state);
	}
}

interface Fetching {
	readonly stored: StoredFlash;
	readonly flash: Flash;
	readonly rule: FlashRule;
	readonly dialogue: Dialogue;
	readonly session: string;
	readonly tell: (event: FlashEvent) => Promise<Flash>;
	readonly giveUp: (words: string) => Promise<string>;
}

async function fetch(
	stored: StoredFlash,
	flash: Flash,
	dialogue: Dialogue,
	giveUp: Fetching['giveUp']
): Promise<string> {
	try {
		await dialogue.flash('fetch', await toldImage(stored, flash));
	} catch (error) {
		unlessItBroke(error as Error);
		return giveUp((error as Error).message);
	}
	lookShortly(stored.unitId);
	return 'It fetches the image; nothing has changed yet.';
}

async function whileItFetches({
	stored,
	flash,
	rule,
	dialogue,
	session,
	tell,
	giveUp
}: Fetching): Promise<string> {
	const image = (await dialogue.read('image')).rows[0]!;
	const shows = (pattern: string) => patternOf(pattern).isIn(image.state ?? '');
	if (shows(rule.failed))
		return giveUp(
			image.words ? `It could not fetch the image: ${image.words}` : 'It could not fetch the image.'
		);
	if (!shows(rule.ready)) {
		if (timeNow() - flash.saidAt! > rule.minutes * 60_000) return giveUp(NEVER_WHOLE);
		const percent = /^\d{1,3}$/.test(image.percent ?? '') ? Math.min(100, Number(image.percent)) : null;
		await noteArriving(stored, percent);
		lookShortly(stored.unitId);
		// It may have restarted since, or never have heard of it
		if (percent === null && session !== stored.session) return fetch(stored, flash, dialogue, giveUp);
		return percent === null ? 'It fetches the image.' : `It has fetched ${percent} % of the image.`;
	}
	await tell({ kind: 'install said', at: timeNow() });
	try {
		await dialogue.flash('install', await toldImage(stored, flash));
	} catch (error) {
		if (!(error instanceof ConnectionBroke)) {
			await tell({ kind: 'install refused', words: (error as Error).message });
			throw error;
		}
	}
	return 'Told to install it and restart; it has to come back with it.';
}

const unlessItBroke = (error: Error): void => {
	if (error instanceof ConnectionBroke) throw error;
};

const imageOf = ({ firmwareLine }: StoredFlash, { path, at }: Flash) => findImage(firmwareLine, path[at]!);
async function mayBeUsed(stored: StoredFlash, flash: Flash): Promise<boolean> {
	const image = await imageOf(stored, flash);
	return image !== undefined && image.state !== 'withdrawn';
}
async function toldImage(stored: StoredFlash, flash: Flash): Promise<ToldImage> {
	const image = await imageOf(stored, flash);
	const version = flash.path[flash.at]!;
	return {
		version,
		address: imageAddress(stored.unitId, stored.firmwareLine, version),
		hash: image?.sha256.toString('hex') ?? ''
	};
}

/** A unit came back: whether a flash of it waits for that, of many in one query. */
const goOnWhenItComes = grouped<string, void>(BOOTSTRAP, async (unitIds) => {
	const open: string[] = await database()('flash')
		.whereIn('unit_id', [...unitIds])
		.whereNull('ended_at')
		.whereNot({ state: 'waiting' })
		.pluck('unit_id');
	for (const unitId of open) await look(unitId);
	return unitIds.map(() => undefined);
});

/** So often it is looked how a flash is doing, when the looking itself fails. */
const LOOK_AGAIN = '30 seconds';
const look = (unitId: string): Promise<unknown> =>
	database().transaction(async (trx) => {
		const errand = await askErrand(trx, { unitId, kind: 'flash', priority: URGENT, ifConnected: true });
		if (errand === null) return;
		await trx('flash')
			.where({ unit_id: unitId, ended_at: null })
			.update({ look_at: trx.raw(`now() + interval '${LOOK_AGAIN}'`) });
	});

/** An image arrives in seconds or in an hour; with each beat it is looked after in any case. */
const SHORTLY_MS = 1_000;
function lookShortly(unitId: string): void {
	const again = () =>
		runAs(BOOTSTRAP, () => look(unitId)).catch((error: Error) =>
			log.info({ unit: unitId, error: error.message }, 'it was not looked at an image that arrives')
		);
	setTimeout(() => void again(), SHORTLY_MS).unref();
}

/** A unit that is away for so long while it fetches has nothing that it would go on with. */
const FETCH_ENDS = '1 day';

/** What nothing else goes on with. A new flash whose errand broke off asks again: that the image is to be fetched is noted before it is said. */
async function lookAfter(): Promise<void> {
	const { rows } = await database().raw(
		`select flash.id, flash.unit_id as "unitId", flash.state = 'waiting' and flash.at = 0 as "isNew", case when errand.state = 'uncertain' then '' else coalesce(errand.words, '') end as words, binding.unit_id is null as "isAway",
			flash.state = 'fetching' and said_at < now() - interval '${FETCH_ENDS}' as "isOver"
		from flash left join errand on errand.id = flash.errand_id
		left join binding on binding.position_id = flash.position_id and binding.unit_id = flash.unit_id
		where flash.ended_at is null and (binding.unit_id is null
			or (flash.state <> 'waiting' and look_at <= now())
			or (flash.state = 'waiting' and flash.at = 0 and coalesce(errand.state, '') not in ('waiting', 'under way'))
			or (flash.state = 'waiting' and flash.at > 0 and look_at <= now()))`
	);
	for (const { id, unitId, isNew, isAway, isOver, words } of rows as {
		id: string;
		unitId: string;
		isNew: boolean;
		isAway: boolean;
		isOver: boolean;
		words: string;
	}[])
		await (
			isAway
				? recordFlash(id, { kind: 'let go' }, null, 0)
				: isOver
					? recordFlash(id, { kind: 'given up', words: NEVER_WHOLE }, null, 0)
					: isNew && words !== ''
						? recordFlash(id, { kind: 'given up', words }, null, 0)
						: look(unitId)
		).catch((error: Error) =>
			log.info({ flash: id, error: error.message }, 'a flash could not be looked after')
		);
}
