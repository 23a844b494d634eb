import { isSecretName, isSecretType, type Field } from '../profile';

const PARTICULAR = new Set(['hostname', 'address', 'prefix', 'interface address', 'mac']);

/**
 * Whether a value can be the same at two sites, so that copying it makes sense: no secret, and nothing that
 * names one place in the network. `fromPool` are the fields whose values are allotted, one to each.
 */
export const isCopyable = (field: Field, fromPool: ReadonlySet<string>): boolean =>
	!isSecretType(field.type) &&
	!isSecretName(field.name) &&
	!PARTICULAR.has(field.type.kind) &&
	!fromPool.has(field.name);
