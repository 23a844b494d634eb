import { LRUCache } from 'lru-cache';
import { ALERT_KINDS } from '../../../core/events';
import type { SiteStanding } from '../../../core/plan';
import { alerts } from '../alerts';
import { BOOTSTRAP, database, runAs, timeNow } from '../database';
import { driftCounts } from '../drift';
import { arrivals, countNotHeard, standingCounts } from '../runs';
import { screenAt } from './screens';

type SiteWord = SiteStanding['word'];

/** What stands on a wall: names, places and how they stand; nothing that is secret. */
export interface Wall {
	readonly title: string;
	readonly at: number;
	readonly sites: { readonly online: number; readonly all: number };
	readonly counts: {
		readonly stuck: number;
		readonly late: number;
		readonly moving: number;
		readonly notHeard: number;
		readonly drift: number;
	};
	readonly needs: readonly WallLine[];
	readonly due: readonly {
		readonly id: string;
		readonly name: string;
		readonly at: string;
		readonly zone: string;
		readonly word: SiteWord;
	}[];
	readonly map: readonly {
		readonly id: string;
		readonly name: string;
		readonly latitude: number;
		readonly longitude: number;
		readonly standing: SiteWord;
	}[];
}
export interface WallLine {
	readonly id: string;
	readonly where: string;
	readonly word: string;
	/** How it is drawn. */
	readonly standing: 'stuck' | 'not-heard' | 'late';
	readonly since: number;
}

const [MOST_LINES, MOST_DUE, MOST_PLACES] = [7, 5, 3_000];
/** Appointments of half a day before and after. */
const DUE_MS = 43_200_000;
/** Many screens of one scope are one reading. It is good for a hundred times as long as it took: reading is less than 1 % of a core. */
const [LEAST_GOOD_MS, MOST_GOOD_MS] = [4_000, 30_000];
export const goodFor = (tookMs: number): number =>
	Math.min(MOST_GOOD_MS, Math.max(LEAST_GOOD_MS, tookMs * 100));
const kept = new LRUCache<string, Promise<Omit<Wall, 'title'>>>({ max: 200, ttl: MOST_GOOD_MS });

/** What a wall's address shows; null when there is no such address, or not any more. Anybody may ask. */
export async function wallAt(token: string): Promise<Wall | null> {
	const screen = await screenAt(token);
	if (!screen) return null;
	const key = screen.customerId ?? 'all';
	let shown = kept.get(key);
	if (!shown) {
		const began = performance.now();
		const reading = runAs(BOOTSTRAP, () => readWall(screen.customerId));
		shown = reading;
		kept.set(key, reading);
		reading.then(
			() => kept.set(key, reading, { ttl: goodFor(performance.now() - began) }),
			() => kept.delete(key)
		);
	}
	return { title: screen.customer ?? screen.name, ...(await shown) };
}

/** All that a wall shows, read anew. Runs as BOOTSTRAP. */
export async function readWall(customerId: string | null): Promise<Omit<Wall, 'title'>> {
	const now = timeNow();
	const customers = customerId === null ? null : [customerId];
	const [counts, silent, stuck, told, drift, places] = await Promise.all([
		standingCounts(customerId),
		countNotHeard(customerId),
		arrivals({ customerId, needsPerson: true, limit: MOST_LINES }),
		alerts(customers, { unseen: true, limit: MOST_LINES }),
		driftCounts(customers),
		placesOf(customerId)
	]);
	const lines: WallLine[] = [
		...told.map(({ id, where, kind, beganAt }) => ({
			id,
			where,
			word: ALERT_KINDS[kind],
			standing: kind === 'not heard' ? ('not-heard' as const) : ('stuck' as const),
			since: beganAt.getTime()
		})),
		...stuck.map(({ runId, siteName, positionName, outcome, since }) => ({
			id: runId,
			where: `${siteName}, ${positionName}`,
			word: outcome === 'failed' ? 'failed' : 'stalled',
			standing: 'stuck' as const,
			since: new Date(since).getTime()
		}))
	];
	const online = places.filter(({ standing }) => standing === 'online').length;
	return {
		at: now,
		sites: {
			online,
			all: places.filter(({ standing }) => standing !== 'empty' && standing !== 'open').length
		},
		counts: {
			stuck: counts.standings.stuck + counts.standings.stalled,
			late: counts.standings.late,
			moving: counts.standings.moving,
			notHeard: silent,
			drift: drift.differs
		},
		needs: lines.toSorted((one, other) => other.since - one.since).slice(0, MOST_LINES),
		due: places
			.flatMap(({ id, name, appointmentAt, zone, standing: word }) =>
				appointmentAt !== null && word !== 'online' && Math.abs(+appointmentAt - now) < DUE_MS
					? [{ id, name, at: appointmentAt.toISOString(), zone, word }]
					: []
			)
			.sort((one, other) => Date.parse(one.at) - Date.parse(other.at))
			.slice(0, MOST_DUE),
		map: places.flatMap(({ id, name, latitude, longitude, standing }) =>
			latitude === null || longitude === null || standing === 'empty' || standing === 'open'
				? []
				: [{ id, name, latitude, longitude, standing }]
		)
	};
}

interface Place {
	readonly id: string;
	readonly name: string;
	readonly latitude: number | null;
	readonly longitude: number | null;
	readonly standing: SiteWord;
	readonly appointmentAt: Date | null;
	readonly zone: string;
}
const placesOf = async (customerId: string | null): Promise<readonly Place[]> =>
	(
		await database().raw(
			`select site.id, site.name, latitude, longitude, stands.word as standing, appointment_at as "appointmentAt", time_zone as zone
			from site join site_standing stands on stands.site_id = site.id
			where :customer::uuid is null or site.customer_id = :customer::uuid order by site.name limit ${MOST_PLACES}`,
			{ customer: customerId }
		)
	).rows;
