import type { Knex } from 'knex';

/** A field is a typed hole in a part; what technicians do on site belongs to their day. */
export const up = (knex: Knex) => knex.schema.renameTable('field_entry', 'day_entry');
export const down = (knex: Knex) => knex.schema.renameTable('day_entry', 'field_entry');
