import type { Pack, PackReading, Talk } from '../../../core/pack';
import { database } from '../database';
import { subscribe } from '../live';
import { offMainThread, task } from '../threads';

const READ_PACK = task<string, PackReading>('readPack');
/** Reads a pack beside the main thread: it comes from outside, and may be long. */
export const packFrom = (text: string): Promise<PackReading> => offMainThread(READ_PACK, text);
/** One in use was read within its time before; on a machine that hardly lets this process work it takes longer, and all waits for it. */
const IN_USE_MS = 60_000;

/** The packs in use, by maker; read again once one is loaded, by whichever process. */
const kept = new Map<string, Promise<Pack | null>>();
let makers: Promise<string[]> | undefined;
let stop: (() => void) | undefined;
const watch = (): void =>
	void (stop ??= subscribe(
		({ topic }) => {
			if (topic !== 'packs') return;
			kept.clear();
			makers = undefined;
		},
		() => true
	));

/** The pack in use of a maker; null when there is none. */
export function currentPack(makerId: string): Promise<Pack | null> {
	watch();
	let pack = kept.get(makerId);
	if (!pack) {
		pack = readCurrent(makerId);
		kept.set(makerId, pack);
		pack.catch(() => kept.delete(makerId));
	}
	return pack;
}

/** The makers of which a pack is in use. */
export function makersWithPacks(): Promise<string[]> {
	watch();
	if (!makers) {
		makers = database()('maker')
			.whereNotNull('pack_id')
			.orderBy('id')
			.pluck('id')
			.then((ids) => ids as string[]);
		makers.catch(() => (makers = undefined));
	}
	return makers;
}

async function readCurrent(makerId: string): Promise<Pack | null> {
	const row = await database()('maker')
		.join('pack', 'pack.id', 'maker.pack_id')
		.where('maker.id', makerId)
		.first('pack.text');
	const read = row && (await offMainThread(READ_PACK, row.text as string, IN_USE_MS));
	return read?.ok ? read.pack : null;
}

/** How to talk to units of a model; null when no pack says it. */
export async function talkOf(makerId: string, modelId: string): Promise<Talk | null> {
	const pack = await currentPack(makerId);
	const model = pack?.models.find(({ id }) => id === modelId);
	return (model && pack!.talks[model.talk]) ?? null;
}
