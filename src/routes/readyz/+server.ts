import { database } from '$lib/server/database';
import type { RequestHandler } from './$types';

/** Whether this process can do its work now: its database answers. */
export const GET: RequestHandler = async () => {
	try {
		await database().raw('select 1');
		return new Response('ready\n');
	} catch {
		return new Response('The database does not answer.\n', { status: 503 });
	}
};
