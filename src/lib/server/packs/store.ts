import { database } from '../database';

export interface MakerRow {
	readonly id: string;
	readonly name: string;
	readonly models: readonly string[];
	readonly units: number;
	readonly version: string | null;
	readonly loadedAt: Date | null;
	readonly loadedBy: string | null;
}

const makersQuery = () =>
	database()('maker')
		.leftJoin('pack', 'pack.id', 'maker.pack_id')
		.orderBy('maker.name')
		.select<MakerRow[]>(
			'maker.id', 'maker.name', 'pack.version', 'loaded_at as loadedAt', 'loaded_by as loadedBy',
			database().raw('array(select name from model where maker_id = maker.id order by name) as models'),
			database().raw('(select count(*)::int from unit where unit.maker_id = maker.id) as units')
		); // prettier-ignore

/** The makers, with the pack that is in use; units are counted where whoever asks may see them. */
export const allMakers = (): Promise<MakerRow[]> => makersQuery();
export const makerById = async (id: string): Promise<MakerRow | undefined> =>
	(await makersQuery().where('maker.id', id))[0];

export interface ConnectedUnit {
	readonly id: string;
	readonly serial: string;
	readonly makerId: string;
	readonly modelId: string;
	readonly customerId: string;
}

const connectedUnits = (makerId: string) =>
	database()('unit')
		.join('unit_connection as c', (on) => on.on('c.unit_id', 'unit.id').onNull('c.ended_at'))
		.where({ maker_id: makerId })
		.select<ConnectedUnit[]>(
			'unit.id', 'serial', 'maker_id as makerId', 'model_id as modelId', 'unit.customer_id as customerId'
		); // prettier-ignore

const MOST_OFFERED = 200;
/** Units of a maker that are connected now, of those that whoever asks may see; two hundred at most. */
export const connectedOf = (makerId: string): Promise<ConnectedUnit[]> =>
	connectedUnits(makerId).orderBy('serial').limit(MOST_OFFERED);
export const connectedUnit = async (makerId: string, unitId: string): Promise<ConnectedUnit | undefined> =>
	(await connectedUnits(makerId).where('unit.id', unitId))[0];

export interface PackRow {
	readonly id: string;
	readonly version: string;
	readonly loadedAt: Date;
	readonly loadedBy: string;
	readonly isCurrent: boolean;
}

/** The versions of a maker's pack that were ever loaded, newest first. */
export const packsOf = (makerId: string): Promise<PackRow[]> =>
	database()('pack')
		.join('maker', 'maker.id', 'maker_id')
		.where({ maker_id: makerId })
		.orderBy('loaded_at', 'desc')
		.select(
			'pack.id',
			'version',
			'loaded_at as loadedAt',
			'loaded_by as loadedBy',
			database().raw('(maker.pack_id = pack.id) as "isCurrent"')
		);

/** The text of a pack as it was loaded, to the letter. */
export const packText = async (
	id: string
): Promise<{ text: string; maker: string; version: string } | undefined> =>
	database()('pack').where({ id }).first('text', 'maker_id as maker', 'version');
