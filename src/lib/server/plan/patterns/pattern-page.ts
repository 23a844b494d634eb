import { OUTSIDE_FIELD, type CableEnd } from '../../../../core/plan';
import { describeType, writeValue, type Values } from '../../../../core/profile';
import { database } from '../../database';
import { profileNames } from '../../profile';
import { portsByRole } from '../cabling';
import { patternFields } from './patterns';
import type { StoredPattern } from '../sites/standing-sites';

/** The profiles that a pattern can use, with the fields that it can give values to. */
export async function patternChoices(customerId: string) {
	const [profiles, ports] = await Promise.all([profileNames(), portsByRole()]);
	return Promise.all(
		profiles.map(async ({ id, name, roleId, roleName }) => ({
			id,
			name,
			roleId,
			roleName,
			ports: ports.get(roleId) ?? [],
			fields: (await patternFields(database(), id, customerId)).map(({ field, target }) => ({
				name: field.name,
				target,
				accepts: describeType(field.type),
				description: field.description,
				otherwise: field.fallback ?? (field.formula === undefined ? '' : `computed: ${field.formula}`)
			}))
		}))
	);
}

/** Where tunnels of a customer's sites can lead: positions that are known from outside, those of routers and gateways first. */
export const tunnelEnds = (customerId: string): Promise<{ id: string; name: string }[]> =>
	database()('position')
		.join('site', 'site.id', 'position.site_id')
		.where('position.customer_id', customerId)
		.whereRaw(`coalesce(position.values->>:field, site.values->>:field, '') <> ''`, { field: OUTSIDE_FIELD })
		.orderBy(['site.name', 'position.name'])
		.select('position.id', database().raw(`position.name || ' at ' || site.name as name`));

const written = (values: Values): Record<string, string> =>
	Object.fromEntries(Object.entries(values).map(([name, value]) => [name, writeValue(value)]));

/** A pattern as the editor takes it: values as they are typed. */
export const editedPattern = (
	pattern: Omit<StoredPattern, 'id' | 'edit'>,
	known?: { id: string; edit: number }
) => ({
	id: known?.id ?? null,
	edit: known?.edit ?? 0,
	name: pattern.name,
	note: pattern.note,
	siteValues: written(pattern.siteValues),
	places: pattern.places.map(({ id, name, profileId, tunnelTo, values }) => ({
		id: known ? id : null,
		name,
		profileId,
		tunnelTo,
		values: written(values)
	})),
	cables:
		pattern.cables?.map(({ near, far }) => ({
			near: placeOf(pattern, near),
			far: far && placeOf(pattern, far)
		})) ?? null
});

/** Places are counted while they are edited: new ones have no id yet. */
const placeOf = ({ places }: Pick<StoredPattern, 'places'>, { positionId, port }: CableEnd) => ({
	place: places.findIndex(({ id }) => id === positionId),
	port
});
