import { Logger, runMigrations } from 'graphile-worker';
import pg from 'pg';
import { databaseName, JOBS_SCHEMA, jobsRole, jobsUrl, MOST_ATTEMPTS } from '../../src/lib/server/database';
import type { Settings } from '../../src/lib/server/settings';
import { DATABASE_ROLES, letIn, passwordFile } from './roles';

const MOST_PAYLOAD_BYTES = 2_000;

/** What the application enqueues by: it may add a job, and can neither read nor change any. */
const ENQUEUE = `
create or replace function ${JOBS_SCHEMA}.enqueue(task text, about json, due timestamptz, key text) returns void
language plpgsql security definer set search_path = ${JOBS_SCHEMA}, pg_temp as $$
begin
	if task !~ '^[a-z][a-z -]{1,49}$' or octet_length(about::text) > ${MOST_PAYLOAD_BYTES} or length(key) > 200 then
		raise exception 'this is no job' using errcode = 'check_violation';
	end if;
	perform ${JOBS_SCHEMA}.add_job(identifier => task, payload => about, run_at => due, job_key => key, max_attempts => ${MOST_ATTEMPTS});
end $$;
revoke all on function ${JOBS_SCHEMA}.enqueue from public;
grant usage on schema ${JOBS_SCHEMA} to ${DATABASE_ROLES.join(', ')};
grant execute on function ${JOBS_SCHEMA}.enqueue to ${DATABASE_ROLES.join(', ')};`;

/**
 * The queue's own schema, owned by a role of its own that sees nothing else: graphile-worker wants to own
 * its tables. That role is given, or made here like the application's.
 */
export async function makeJobs(owner: string, settings: Settings): Promise<void> {
	const given = settings.LIMEN_DATABASE_JOBS_URL !== undefined;
	const name = databaseName(owner);
	if (!given)
		await withClient(owner, async (client) => {
			await letIn(client, jobsRole(owner), passwordFile(settings, 'jobs.password'));
			await client.query(
				`grant create on database ${client.escapeIdentifier(name)} to ${client.escapeIdentifier(jobsRole(owner))}`
			);
		});
	const url = jobsUrl(settings);
	await runMigrations({
		connectionString: url,
		schema: JOBS_SCHEMA,
		maxPoolSize: 1,
		logger: new Logger(() => () => undefined)
	});
	await withClient(url, (client) => client.query(ENQUEUE));
	if (!given)
		await withClient(owner, (client) =>
			client.query(
				`revoke create on database ${client.escapeIdentifier(name)} from ${client.escapeIdentifier(jobsRole(owner))}`
			)
		);
}

async function withClient(url: string, work: (client: pg.Client) => Promise<unknown>): Promise<void> {
	const client = new pg.Client({ connectionString: url });
	await client.connect();
	try {
		await work(client);
	} finally {
		await client.end();
	}
}
