import { RESTCONF_RESOURCES } from '$core/bootstrap';
import {
	NOT_READABLE,
	readsJson,
	restconfData,
	restconfError,
	restconfNotAllowed,
	restconfOptions
} from '$lib/server/bootstrap';
import type { RequestHandler } from './$types';

/** What can be read of RESTCONF itself, by anybody: it says nothing of units. */
const ALLOWED = 'GET, HEAD, OPTIONS';
const NOT_HERE = () => restconfError('invalid-value', 'There is no such resource.', 'protocol', 404);

export const GET: RequestHandler = ({ request, params }) => {
	const resource = RESTCONF_RESOURCES.get(params.resource);
	if (!resource) return NOT_HERE();
	return readsJson(request) ? restconfData(resource) : NOT_READABLE();
};

const toKnown =
	(answer: () => Response): RequestHandler =>
	({ params }) =>
		RESTCONF_RESOURCES.has(params.resource) ? answer() : NOT_HERE();
export const OPTIONS = toKnown(() => restconfOptions(ALLOWED));
export const fallback = toKnown(() => restconfNotAllowed(ALLOWED));
