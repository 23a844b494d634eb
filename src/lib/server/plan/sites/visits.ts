import { readLocalTime, writeLocalTime } from '../../../../core/plan';
import { done, refuse, type Act } from '../../act';
import { changing } from '../../change';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { NOT_PLANNED_BY_YOU } from '../patterns/patterns';

/** Who goes to some sites, and when; what is left out stays as it is at each. */
export interface Visit {
	/** Null: nobody any more. */
	readonly technicianId?: string | null | undefined;
	/** In each site's own time, `2026-12-01 09:30`. */
	readonly appointment?: string | undefined;
}

/**
 * Gives many sites a technician, an appointment, or both. Whoever may plan sites for their customers may. All or
 * none: refused when somebody does not work for one of the customers, or a time does not exist at one of the sites.
 */
export async function sendTechnician(
	siteIds: readonly string[],
	{ technicianId, appointment }: Visit,
	actor: Actor
): Promise<Act<{ changed: number }>> {
	return changing(
		async (trx) => {
			const sites = await trx('site')
				.whereIn('id', [...siteIds])
				.orderBy('id')
				.forUpdate()
				.select<VisitedSite[]>('id', 'name', 'customer_id', 'technician_id', 'appointment_at', 'time_zone');
			if (sites.length < new Set(siteIds).size) return refuse('There is no such site any more.');
			if (sites.some((site) => !actor.may('plan sites', site.customer_id))) return refuse(NOT_PLANNED_BY_YOU);
			const planned: {
				readonly site: VisitedSite;
				readonly technician: string | null;
				readonly at: Date | null;
			}[] = [];
			for (const site of sites) {
				const at = appointment === undefined ? null : readLocalTime(appointment, site.time_zone);
				if (at?.ok === false) return refuse(`${site.name}: ${at.message} Nothing was changed.`);
				planned.push({
					site,
					technician: technicianId === undefined ? site.technician_id : technicianId,
					at: at ? new Date(at.at) : site.appointment_at
				});
			}
			const changed = planned.filter(
				({ site, technician, at }) =>
					site.technician_id !== technician || site.appointment_at?.getTime() !== at?.getTime()
			);
			if (changed.length === 0) return done({ changed: 0 });
			await trx.raw(
				`update site set technician_id = visit.technician, appointment_at = visit.at, edit = edit + 1
				from jsonb_to_recordset(?::jsonb) as visit(id uuid, technician uuid, at timestamptz) where visit.id = site.id`,
				[JSON.stringify(changed.map(({ site, technician, at }) => ({ id: site.id, technician, at })))]
			);
			const { rows } = await trx.raw('select name from limen_colleagues() where id = ? limit 1', [
				technicianId ?? null
			]);
			const name = (rows[0]?.name as string | undefined) ?? 'somebody';
			for (const customerId of new Set(changed.map(({ site }) => site.customer_id)))
				await notify(trx, 'plan', customerId);
			const when = (at: Date | null, zone: string) => (at ? writeLocalTime(at.getTime(), zone) : '');
			await enterInLedger(
				trx,
				actor,
				changed.map(({ site, technician, at }) => ({
					act: 'send technician',
					customerId: site.customer_id,
					subjectKind: 'site' as const,
					subjectId: site.id,
					words: [
						technicianId === undefined
							? ''
							: technicianId === null
								? `Nobody is named to go to ${site.name}.`
								: `${name} goes to ${site.name}.`,
						appointment === undefined ? '' : `${site.name} has its appointment on ${appointment}.`
					]
						.filter(Boolean)
						.join(' '),
					before: {
						technician: site.technician_id ?? '',
						appointment: when(site.appointment_at, site.time_zone)
					},
					after: { technician: technician ?? '', appointment: when(at, site.time_zone) }
				}))
			);
			return done({ changed: changed.length });
		},
		{ technician_of_customer: 'They do not work for one of these customers. Nothing was changed.' }
	);
}
interface VisitedSite {
	readonly id: string;
	readonly name: string;
	readonly customer_id: string;
	readonly technician_id: string | null;
	readonly appointment_at: Date | null;
	readonly time_zone: string;
}

/** Who can be sent to sites of a customer, or of any. */
export const techniciansFor = async (
	customerId: string | null
): Promise<readonly { readonly id: string; readonly name: string }[]> =>
	(
		await database().raw(
			`select distinct id, name from limen_colleagues() where ?::uuid is null or customer_id = ?::uuid order by name`,
			[customerId, customerId]
		)
	).rows;
