import { STATUS_CODES } from 'node:http';

/** A problem as programs get it: RFC 9457. */
export const problem = (status: number, detail: string): Response =>
	Response.json(
		{ type: 'about:blank', title: STATUS_CODES[status] ?? 'Error', status, detail },
		{ status, headers: { 'content-type': 'application/problem+json', 'cache-control': 'no-store' } }
	);
