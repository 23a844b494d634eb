import type { RequestHandler } from './$types';

/** Whether this process answers. */
export const GET: RequestHandler = () => new Response('ok\n');
