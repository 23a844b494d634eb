import { randomUUID } from 'node:crypto';
import { Agent, request } from 'node:http';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { database } from '../../src/lib/server/database';
import { tokenHash } from '../../src/lib/server/people';
import { administratorSession, asOwner, median } from '../world';

/** As often as it takes to be sure, and no longer than that of a slow page. */
const TIMES = 5;
const ENOUGH_MS = 3_000;

/** Pages that begin with everything there is of their customers. */
const OF_ALL = [
	'/', '/arrivals', '/arrivals/normal', '/arrivals/rollouts', '/sites', '/sites?view=map', '/sites/new', '/sites/week', '/sites/reachability',
	'/sites/connectors', '/sites/patterns', '/units', '/units/retired', '/intake', '/values', '/addresses', '/addresses/tunnels', '/addresses/ways',
	'/addresses/logins', '/addresses/surveys', '/profiles', '/profiles/makers', '/profiles/takeon', '/handovers', '/records', '/records/intended',
	'/records/reports?part=inventory&part=standing', '/upkeep', '/upkeep/behind', '/upkeep/most', '/upkeep/firmware', '/upkeep/health', '/upkeep/events',
	'/upkeep/windows', '/upkeep/secrets', '/upkeep/cohorts', '/upkeep/cohorts?rule=drift%3Dbehind', '/upkeep/archive?words=Room', '/upkeep/alerts/rules',
	'/work', '/people', '/people/walls', '/people/webhooks', '/account', '/running', '/day'
]; // prettier-ignore
/** Filters and orders of the lists, each with something to find. */
const OF_LISTS = [
	'/sites/rows?offset=0&q=Nelson', '/sites/rows?offset=0&q=00007', '/sites/rows?offset=0&standing=stuck', '/sites/rows?offset=0&standing=online',
	'/sites/rows?offset=0&sort=standing', '/sites/rows?offset=0&sort=-appointment', '/sites/rows?offset=0&sort=customer', '/units/rows?offset=0&q=0007',
	'/units/rows?offset=0&q=gw-1', '/units/rows?offset=0&standing=not-heard', '/units/rows?offset=0&standing=stuck', '/units/rows?offset=0&model=og-2',
	'/units/rows?offset=0&drift=differs', '/units/rows?offset=0&drift=behind', '/units/rows?offset=0&version=7.0.3', '/units/rows?offset=0&age=90',
	'/units/rows?offset=0&sort=standing', '/units/rows?offset=0&sort=-heard', '/units/rows?offset=0&sort=place', '/units/rows?offset=0&sort=drift',
	'/arrivals/rows', '/upkeep/events?text=lease', '/upkeep/events?text=no%20777', '/upkeep/events?severity=error',
	'/upkeep/behind?why=revision', '/find?q=Branch', '/find?q=PG0000', '/api/v1/units', '/api/v1/sites', '/api/v1/runs'
]; // prettier-ignore

/** A customer's own pages, and those of one of their sites, units, runs and findings. */
async function pagesOf(provider: string): Promise<readonly string[]> {
	const { rows } = await asOwner(`select s.id as site, u.id as unit, d.unit_id as drifted, c.id as customer
		from customer c join site s on s.customer_id = c.id and s.proof_state = 'held' join position p on p.site_id = s.id and p.name = 'gw-1'
		join binding b on b.position_id = p.id join unit u on u.id = b.unit_id join unit_drift d on d.customer_id = c.id and d.state = 'differs'
		where c.name like '${provider} %' order by s.name limit 1`);
	const { site, unit, drifted } = rows[0] as Record<string, string>;
	const { id: profile } = await database()('profile').where({ name: 'Clinic gateway' }).first('id');
	const { rows: found } = await asOwner(`select id from finding where unit_id = '${drifted}' limit 1`);
	return [
		`/values?profile=${profile}`,
		`/values/rows?profile=${profile}&offset=0`,
		`/profiles/${profile}`,
		...['', '/health', '/network', '/proof', '/handover', '/rehearsal', '?cabling'].map(
			(rest) => `/sites/${site}${rest}`
		),
		...['', '/health', '/firmware', '/reach', '/dialogue', '/versions', '/life'].map(
			(rest) => `/units/${unit}${rest}`
		),
		`/units/${unit}/health?span=year`,
		`/units/${drifted}`,
		`/upkeep/findings/${found[0].id}`,
		`/upkeep/events?unit=${unit}`
	];
}

export interface Viewed {
	/** With `…` for what is of the provider. */
	readonly page: string;
	readonly milliseconds: number;
	readonly status: number;
	readonly bytes: number;
}

/** How somebody and their program come in. */
export interface Ways {
	readonly session: string;
	readonly token: string;
}
/** An administrator of everything, and a token of theirs. */
export async function anyWay(): Promise<Ways> {
	const session = await administratorSession();
	const token = `limen_me_${randomUUID()}`;
	const { person_id } = await database()('session').orderBy('created_at', 'desc').first('person_id');
	await database()('personal_token').insert({
		id: randomUUID(),
		person_id,
		name: 'Bench',
		token_hash: tokenHash(token),
		ends_at: new Date(Date.now() + 86_400_000)
	});
	return { session, token };
}

/** Each page and list as somebody gets it, from the application that runs: how long it takes there, once it was asked for before. */
export async function viewAll(provider: string, ways: Ways, timesEach = TIMES): Promise<readonly Viewed[]> {
	const agent = new Agent({ keepAlive: true });
	const viewed: Viewed[] = [];
	for (const path of [...OF_ALL, ...OF_LISTS, ...(await pagesOf(provider))]) {
		const times: number[] = [];
		let last = await view(agent, path, ways);
		const begun = performance.now();
		while (times.length < timesEach && performance.now() - begun < ENOUGH_MS) {
			last = await view(agent, path, ways);
			times.push(last.milliseconds);
		}
		viewed.push({
			...last,
			page: path.replace(/[0-9a-f]{8}-[0-9a-f-]{27}/g, '…'),
			milliseconds: median(times.length > 0 ? times : [last.milliseconds])
		});
	}
	agent.destroy();
	return viewed;
}

function view(agent: Agent, path: string, { session, token }: Ways): Promise<Omit<Viewed, 'page'>> {
	const begun = performance.now();
	return new Promise((resolve, reject) => {
		request(
			`${publicUrl(currentSettings())}${path}`,
			{
				agent,
				headers: path.startsWith('/api/')
					? { authorization: `Bearer ${token}` }
					: { cookie: `limen_session=${session}`, accept: 'text/html' }
			},
			(answer) => {
				let bytes = 0;
				answer.on('data', (part: Buffer) => (bytes += part.length));
				answer.on('end', () =>
					resolve({ milliseconds: performance.now() - begun, status: answer.statusCode ?? 0, bytes })
				);
			}
		)
			.on('error', reject)
			.end();
	});
}
