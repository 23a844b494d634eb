import type { Talk } from '../../../../core/pack';
import { database } from '../../database';
import { unseal } from '../../keys';
import type { KnownUnit } from '../held';
import type { UnitLogin } from '../speaking/ssh';
import { REACH_LOGIN } from './ways';

/** What a room above knows of a unit's position: the value of a field that is secret; null when it has none. */
type FieldOf = (unitId: string, field: string) => Promise<string | null>;
let fieldOf: FieldOf = () => Promise.resolve(null);
export const onSecretWanted = (find: FieldOf): void => void (fieldOf = find);

/** What raises privileges on a unit's command line: of its login, else of its position; null when it is not asked for or not known. */
export async function privilegeSecret({ unitId }: KnownUnit, talk: Talk): Promise<string | null> {
	const rise = talk.shell?.rise;
	if (rise?.asks === undefined) return null;
	const reach = await database()('unit_reach as r')
		.where({ unit_id: unitId })
		.first(database().raw(`${REACH_LOGIN} as login`));
	const login = reach && (JSON.parse(unseal(reach.login)) as UnitLogin);
	return login?.privileges ?? (rise.secret ? fieldOf(unitId, rise.secret) : null);
}
