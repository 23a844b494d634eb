import { compareRecords, type ComparedRecord, type Here, type Remembered, type There } from './compare';
import { positionHere, positionsThere, siteHere, sitesThere, type SiteWorld } from './kinds';
import type { SourceRow } from './mapping';

/** A source's records with all that they are compared with. Units are judged where their models and owners are known. */
export type ToCompare = { readonly remembered: readonly Remembered[] } & (
	| { readonly kind: 'sites'; readonly rows: readonly SourceRow[]; readonly world: SiteWorld }
	| {
			readonly kind: 'positions';
			readonly rows: readonly SourceRow[];
			readonly world: Parameters<typeof positionsThere>[1];
	  }
	| { readonly kind: 'units'; readonly there: readonly There[]; readonly here: readonly Here[] }
);

/** What taking a source over would do, record by record. */
export function compareSource(given: ToCompare): readonly ComparedRecord[] {
	switch (given.kind) {
		case 'sites': {
			const here = given.world.sites.map((site) => siteHere(site, given.world.technicians));
			return compareRecords(sitesThere(given.rows, given.world), here, given.remembered);
		}
		case 'positions': {
			const here = given.world.positions.map(positionHere);
			return compareRecords(positionsThere(given.rows, given.world), here, given.remembered);
		}
		case 'units': {
			// A unit that is here is the same unit, whatever else a list says of it: codes and places count when it is taken in
			const said = new Map(given.there.map(({ key, cells }) => [key, cells]));
			const known = given.there.map((one): There => ({
				...one,
				cells: one.cells[SERIAL] === undefined ? {} : { [SERIAL]: one.cells[SERIAL] }
			}));
			return compareRecords(known, given.here, given.remembered).map((record) =>
				record.verdict === 'new' ? { ...record, base: said.get(record.key)! } : record
			);
		}
	}
}
const SERIAL = 'serial number';
