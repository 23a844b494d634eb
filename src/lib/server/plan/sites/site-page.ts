import { describeChange, missingAt, writeLocalTime, type Missing } from '../../../../core/plan';
import { database } from '../../database';
import { profileNames, previewOf, renderingSources, type RenderingSource } from '../../profile';
import { comparedWith } from '../patterns/followers';
import { colleagues, standingSites } from './standing-sites';
import type { PositionRow } from '../store';

/** What is planned for a site, beside its positions: facts, appointment, pattern, and what is missing. */
export async function sitePlan(siteId: string, positions: readonly PositionRow[], mayRead: boolean) {
	const [[stored], row] = await Promise.all([
		standingSites(database(), (query) => query.where('site.id', siteId)),
		database()('site')
			.leftJoin('site_pattern', 'site_pattern.id', 'pattern_id')
			.where('site.id', siteId)
			.first('site.edit', 'appointment_minutes as minutes', 'site_pattern.name as patternName')
	]);
	const { facts, appointmentAt, technicianId, patternId, customerId } = stored!;
	const technicians = await colleagues(database(), customerId);
	const technician = technicians.find(({ id }) => id === technicianId)?.name ?? null;
	return {
		facts,
		edit: row.edit as number,
		minutes: row.minutes as number,
		appointment: appointmentAt === null ? '' : writeLocalTime(appointmentAt, facts.timeZone),
		technician,
		technicianId,
		technicians,
		pattern: patternId ? { id: patternId, name: row.patternName as string } : null,
		missing: missingAt(
			facts,
			{ at: appointmentAt, technician },
			await withProblems(positions, mayRead)
		) as readonly Missing[]
	};
}

/** What the configurations of positions lack, for those who may read configurations. */
async function withProblems(positions: readonly PositionRow[], mayRead: boolean) {
	const open = positions.filter(({ standing }) => standing !== 'online').map(({ id }) => id);
	const sources = mayRead ? await renderingSources(database(), open) : new Map<string, RenderingSource>();
	return Promise.all(
		positions.map(async ({ id, name, standing }) => {
			const source = sources.get(id);
			const problems = source ? (await previewOf(source)).problems : [];
			return { name, standing, problems: problems.map(({ message }) => message) };
		})
	);
}

/** To which sites a site's set-up could be copied, and what that would change at one of them. */
export async function copyChoices(siteId: string, customerId: string, to: string | null) {
	const [others, profiles, [compared]] = await Promise.all([
		database()('site')
			.where({ customer_id: customerId })
			.whereNot({ id: siteId })
			.orderBy('name')
			.select<{ id: string; name: string }[]>('id', 'name'),
		profileNames(),
		to === null ? [] : comparedWith(database(), siteId, [to])
	]);
	const profileName = (id: string) => profiles.find((profile) => profile.id === id)?.name ?? 'a profile';
	return {
		others,
		copy: compared
			? {
					siteId: compared.siteId,
					siteName: compared.siteName,
					differences: compared.following.changes.map((change) => describeChange(change, profileName))
				}
			: null
	};
}
