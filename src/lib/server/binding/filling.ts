import { fillByRules, type FillingRule, type FreeUnit, type OpenPlace } from '../../../core/onboarding';
import { database, timeNow } from '../database';
import type { Actor } from '../ledger';
import { bindMany, type BoundMany } from './many';
import type { Pairing } from './pairing';
import { propose } from './proposals';
import { IS_FREE, IS_OPEN } from './rules';

/** What rules did with units: what they hold waits for approval, the rest was bound or is being bound. */
export interface Filled extends BoundMany {
	readonly proposed: readonly Pairing[];
}

/** Lets a customer's rules work on all of its units that are free. Whoever may bind for the customer may. */
export async function fillOpenPositions(customerId: string, actor: Actor): Promise<Filled> {
	const { proposed, ready } = await fillings(customerId, null, actor);
	return {
		proposed,
		...(await bindMany(customerId, ready, { title: 'Bind what is free, by rules' }, actor))
	};
}

/**
 * What a customer's rules do with units that were just taken in, or (null) with all that are free: what a rule holds is
 * proposed here and waits, the rest is ready to be bound. Positions in `taken` are somebody else's already.
 */
export async function fillings(
	customerId: string,
	unitIds: readonly string[] | null,
	actor: Actor,
	taken: ReadonlySet<string> = new Set()
): Promise<{ readonly proposed: readonly Pairing[]; readonly ready: readonly Pairing[] }> {
	const nothing = { proposed: [], ready: [] };
	if (!actor.may('bind', customerId)) return nothing;
	const rules: readonly FillingRule[] = await database()('binding_rule')
		.where({ customer_id: customerId })
		.select('id', 'model_id as modelId', 'role_id as roleId', 'held');
	if (rules.length === 0) return nothing;
	const [units, open] = await Promise.all([
		freeUnits(customerId, unitIds, rules),
		openPlaces(customerId, rules)
	]);
	const places = new Map(open.flatMap((place) => (taken.has(place.id) ? [] : [[place.id, place]])));
	const serials = new Map(units.map(({ id, serial }) => [id, serial]));
	const found = fillByRules(units, [...places.values()], rules, timeNow()).map((filling) => {
		const { name, siteName } = places.get(filling.positionId)!;
		const serial = serials.get(filling.unitId)!;
		return { ...filling, serial, place: `${name} at ${siteName}`, byRule: true };
	});
	const held = found.filter(({ held }) => held);
	return {
		proposed: held.length > 0 ? await propose(customerId, held, actor) : [],
		ready: found.filter(({ held }) => !held)
	};
}

const freeUnits = async (
	customerId: string,
	unitIds: readonly string[] | null,
	rules: readonly FillingRule[]
): Promise<readonly FreeUnit[]> =>
	(
		await database().raw(
			`select id, serial, model_id as "modelId" from unit
			where customer_id = :customer and model_id = any (:models::text[]) and (:ids::uuid[] is null or id = any (:ids::uuid[])) and ${IS_FREE}
			order by serial limit 20000`,
			{ customer: customerId, models: rules.map(({ modelId }) => modelId), ids: unitIds && [...unitIds] }
		)
	).rows;

const openPlaces = async (customerId: string, rules: readonly FillingRule[]): Promise<readonly OpenPlace[]> =>
	(
		await database().raw(
			`select position.id, position.name, site.name as "siteName", position.role_id as "roleId",
				(extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt"
			from position join site on site.id = position.site_id
			where position.customer_id = ? and position.role_id = any (?::text[]) and ${IS_OPEN}`,
			[customerId, rules.map(({ roleId }) => roleId)]
		)
	).rows;
