import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import { type HandoverRecord } from '../../../core/handover';
import { database } from '../database';
import { unseal } from '../keys';
import { cablingOf } from '../plan';
import { cablingFound } from '../proof';

export const sha256 = (data: Uint8Array | string): string => createHash('sha256').update(data).digest('hex');

const MOST_PHOTOS = 12;
const MOST_PHOTO_BYTES = 8 * 1024 * 1024;
export interface HandedSite {
	readonly id: string;
	readonly name: string;
	readonly address: string;
	readonly timeZone: string;
	readonly contact: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly proofState: 'held' | 'failed' | null;
}
export const siteToHandOver = (siteId: string): Promise<HandedSite | undefined> =>
	database()('site')
		.join('customer', 'customer.id', 'site.customer_id')
		.where('site.id', siteId)
		.first(
			'site.id as id',
			'site.name as name',
			database().raw(`concat_ws(', ', nullif(street, ''), nullif(locality, '')) as address`),
			'time_zone as timeZone',
			'contact',
			'customer.id as customerId',
			'customer.name as customerName',
			'proof_state as proofState'
		);

export async function unitsAt(knex: Knex, siteId: string): Promise<HandoverRecord['units']> {
	const { rows } = await knex.raw(
		`select position.name as position, role.name as role, model.name as model, serial, unit.mac::text as mac,
			reported_version as firmware, given.rendering
		from binding join position on position.id = binding.position_id join role on role.id = position.role_id
		join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
		left join lateral (
			select s.rendering from served s where s.position_id = position.id and s.unit_id = unit.id order by s.turn desc limit 1
		) given on true
		where position.site_id = ? order by position.name`,
		[siteId]
	);
	return rows.map(
		({
			rendering,
			...unit
		}: Omit<HandoverRecord['units'][number], 'configuration'> & { rendering: string | null }) => ({
			...unit,
			configuration: rendering === null ? null : sha256(unseal(rendering))
		})
	);
}

export async function cablesAt(siteId: string): Promise<HandoverRecord['cabling']> {
	const [all, found] = await Promise.all([cablingOf([siteId]), cablingFound(siteId)]);
	const { positions, cables } = all.get(siteId)!;
	const at = (id: string) => positions.find((one) => one.id === id)!;
	return cables.map(({ near, far }, index) => ({
		from: at(near.positionId).name,
		fromPort: at(near.positionId).portNames[near.port] ?? near.port,
		to: far && at(far.positionId).name,
		toPort: far && (at(far.positionId).portNames[far.port] ?? far.port),
		seen: found?.cables[index]?.state ?? 'unread'
	}));
}

export interface Photo {
	readonly position: string | null;
	readonly words: string;
	readonly at: string;
	readonly photo: Buffer;
}
const entriesAt = (siteId: string, kind: 'photo' | 'note') =>
	database()('day_entry')
		.leftJoin('position', 'position.id', 'position_id')
		.where({ 'day_entry.site_id': siteId, kind })
		.orderBy('done_at', 'desc');

/** The latest photos from the site, as far as they fit into a document. */
export async function photosAt(siteId: string): Promise<readonly Photo[]> {
	const rows = await entriesAt(siteId, 'photo')
		.whereRaw('length(photo) <= ?', [MOST_PHOTO_BYTES])
		.limit(MOST_PHOTOS)
		.select('position.name as position', 'words', 'done_at as at', 'photo');
	let room = MOST_PHOTO_BYTES;
	return rows.flatMap(({ at, photo, words, position }): Photo[] => {
		if (photo.length > room) return [];
		room -= photo.length;
		return [{ position, words: words ?? '', photo, at: (at as Date).toISOString() }];
	});
}

export async function notesAt(siteId: string): Promise<HandoverRecord['notes']> {
	const rows = await entriesAt(siteId, 'note')
		.limit(60)
		.select('position.name as position', 'words', 'done_at as at');
	return rows.map(({ at, words, position }) => ({
		position,
		words: words ?? '',
		at: (at as Date).toISOString()
	}));
}
