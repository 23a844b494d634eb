import { randomUUID } from 'node:crypto';
import { Agent, request } from 'node:http';
import { startApplication } from '../../command/limen';
import { sitesPage } from '../../src/lib/server/api';
import { database, GATEKEEPER, runAs } from '../../src/lib/server/database';
import { tokenHash } from '../../src/lib/server/people';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { asOwner, customerWithRuns, inTurns, type Figure } from '../world';

const SITES = 500;
const ON_A_PAGE = 200;
const CALLS = 40;
const TURNS = 7;
const MOST = 1.2;

/** A list over the interface for programs, beside its query and the check of its token alone. */
export async function benchApi(): Promise<Figure[]> {
	await customerWithRuns('Asked by a program', SITES);
	const [personId, token] = [randomUUID(), `limen_me_${randomUUID()}`];
	await asOwner(`insert into person (id, name, email, administrator) values ('${personId}', 'Bench', '${personId}@bench.example', true);
insert into personal_token (id, person_id, name, token_hash, ends_at) values (gen_random_uuid(), '${personId}', 'Bench', '\\x${tokenHash(token).toString('hex')}', now() + interval '1 day'); analyze`);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const agent = new Agent({ keepAlive: true });
	const call = () =>
		new Promise<void>((resolve, reject) => {
			request(
				`${publicUrl(currentSettings())}/api/v1/sites?limit=${ON_A_PAGE}`,
				{ agent, headers: { authorization: `Bearer ${token}` } },
				(response) => {
					response.resume();
					response.on('end', () =>
						response.statusCode === 200 ? resolve() : reject(new Error(String(response.statusCode)))
					);
				}
			)
				.on('error', reject)
				.end();
		});
	const bare = async () => {
		await runAs(GATEKEEPER, () =>
			database().raw('select * from limen_personal_token(?, ?::inet)', [tokenHash(token), '127.0.0.1'])
		);
		await runAs({ kind: 'person', personId }, () => sitesPage({ limit: ON_A_PAGE, after: null }));
	};
	const times = async (work: () => Promise<void>) => {
		for (let at = 0; at < CALLS; at++) await work();
	};
	try {
		await times(call);
		await times(bare);
		const { baseline, measured, ratio } = await inTurns(
			TURNS,
			() => times(bare),
			() => times(call)
		);
		return [
			{
				name: `a list of ${ON_A_PAGE} sites over the interface for programs`,
				measured: `${(measured / CALLS).toFixed(1)} ms`,
				baseline: `${(baseline / CALLS).toFixed(1)} ms for its query and the check of its token`,
				result: `${ratio.toFixed(2)} ×`,
				wanted: `at most ${MOST} ×`,
				held: ratio <= MOST
			}
		];
	} finally {
		agent.destroy();
		application.kill('SIGTERM');
	}
}
