import type { Values } from '../../../core/profile';
import { unseal } from '../keys';

/** Values as they were given: secrets in clear. */
export const opened = (values: Values): Values =>
	Object.fromEntries(
		Object.entries(values).map(([name, value]) => [name, typeof value === 'string' ? unseal(value) : value])
	);
