import * as v from 'valibot';

/** What stands beside a customer's rows: what the file is, and what each part of it must be. */
export const FORMAT = 'limen customer';
export const MANIFEST = 'manifest.json';
/** Rows that are brought in again, a file for each table: JSON Lines, UTF-8. */
export const rowsFile = (table: string): string => `rows/${table}.jsonl`;
/** The ledger's entries of the customer, to be read. */
export const LEDGER_FILE = 'records/ledger.jsonl';

const count = v.pipe(v.number(), v.integer(), v.minValue(0));
export const manifestSchema = v.object({
	format: v.literal(FORMAT),
	version: v.literal(1),
	madeAt: v.pipe(v.string(), v.isoTimestamp()),
	customer: v.object({ id: v.pipe(v.string(), v.uuid()), name: v.string() }),
	/** The newest change of the database that wrote it. */
	schema: v.pipe(v.string(), v.maxLength(200)),
	salt: v.pipe(v.string(), v.base64()),
	/** The word “open”, locked: whether a passphrase is the right one. */
	check: v.string(),
	files: v.pipe(
		v.array(
			v.object({
				name: v.pipe(v.string(), v.regex(/^(rows|records)\/[a-z_]+\.jsonl$/)),
				rows: count,
				octets: count,
				sha256: v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/))
			})
		),
		v.maxLength(500)
	)
});
export type Manifest = v.InferOutput<typeof manifestSchema>;
export const CHECK = 'open';
