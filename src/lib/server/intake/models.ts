import type { Knex } from 'knex';
import type { SerialPattern } from '../../../core/intake';

export interface IntakeModel {
	readonly id: string;
	readonly name: string;
	readonly makerId: string;
	readonly makerName: string;
	readonly serial: SerialPattern;
}

/** The models whose serial numbers are known, with their makers. */
export async function intakeModels(knex: Knex): Promise<IntakeModel[]> {
	const rows = await knex('model')
		.join('maker', 'maker.id', 'maker_id')
		.orderBy('model.name')
		.select('model.*', 'maker.name as maker_name');
	return rows.map((row) => ({
		id: row.id,
		name: row.name,
		makerId: row.maker_id,
		makerName: row.maker_name,
		serial: { template: row.serial_template, check: row.serial_check }
	}));
}
