import { v7 as uuid } from 'uuid';
import { newLabel, unwalled } from '../making';

/** What a request can ask by: `comparison` is of the connector, `elsewhere` another position of theirs. */
const NAMES = [
	'customer',
	'site',
	'position',
	'unit',
	'run',
	'batch',
	'serial',
	'session',
	'person',
	'token',
	'pool',
	'allotment',
	'caller',
	'pattern',
	'photo',
	'rule',
	'proposed',
	'reading',
	'work',
	'tunnel',
	'secret',
	'change',
	'proof',
	'handover',
	'version',
	'finding',
	'alert',
	'alertRule',
	'rollout',
	'target',
	'cohort',
	'replacement',
	'takeOn',
	'login',
	'survey',
	'report',
	'schedule',
	'connector',
	'comparison',
	'elsewhere'
] as const;
/** The same shape for theirs and for nothing. */
export type Ids = Readonly<Record<(typeof NAMES)[number], string>>;

/** Ids of nothing at all. */
export const nothing = (): Ids => ({
	...(Object.fromEntries(NAMES.map((name) => [name, uuid()])) as Ids),
	serial: newLabel().serial,
	caller: '999999999'
});

export const firstOf = async (table: string): Promise<string> =>
	(await unwalled()(table).orderBy('name').first('id')).id;
