import { database } from '../database';

/** Notes, photos and signatures that technicians took at a site, the newest first; of a signature the words are the name. */
export interface DayNote {
	readonly id: string;
	readonly kind: 'note' | 'photo' | 'signature';
	readonly words: string;
	readonly positionName: string | null;
	readonly doneAt: Date;
	readonly receivedAt: Date;
}
const MOST = 60;

export const notesAt = (siteId: string): Promise<DayNote[]> =>
	database()('day_entry')
		.leftJoin('position', 'position.id', 'position_id')
		.where('day_entry.site_id', siteId)
		.whereIn('kind', ['note', 'photo', 'signature'])
		.orderBy('done_at', 'desc')
		.limit(MOST)
		.select<DayNote[]>(
			'day_entry.id',
			'kind',
			'words',
			'position.name as positionName',
			'done_at as doneAt',
			'received_at as receivedAt'
		);

export const photoById = async (id: string): Promise<Buffer | null> =>
	(await database()('day_entry').where({ id, kind: 'photo' }).first('photo'))?.photo ?? null;
