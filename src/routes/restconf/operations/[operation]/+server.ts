import * as v from 'valibot';
import {
	getBootstrappingDataSchema,
	INPUT,
	OUTPUT,
	readCredentials,
	reportProgressSchema,
	tagOfIssue
} from '$core/bootstrap';
import {
	bootstrappingData,
	certifiedBy,
	isRedirecting,
	expectUnit,
	NOT_READABLE,
	readRpcBody,
	readsJson,
	recordProgress,
	restconfBusy,
	restconfData,
	restconfError,
	restconfNotAllowed,
	restconfOptions,
	restconfTooMany,
	serialOf,
	whereToAsk
} from '$lib/server/bootstrap';
import { GivenUp } from '$lib/server/threads';
import type { RequestHandler } from './$types';

/**
 * RFC 8572's two operations. Whoever has no well-formed credentials gets 401; everybody else whom we do
 * not serve gets the same 404, whether unknown, unbound or with a wrong code, so that nothing is told.
 */
const OPERATIONS = {
	'ietf-sztp-bootstrap-server:get-bootstrapping-data': getBootstrappingDataSchema,
	'ietf-sztp-bootstrap-server:report-progress': reportProgressSchema
} as const;

const NOTHING = () => restconfError('invalid-value', 'There is nothing for this device.', 'application', 404);
const ALLOWED = 'POST, OPTIONS';

export const POST: RequestHandler = async ({ request, params, url, getClientAddress }) => {
	const { operation } = params;
	if (!Object.hasOwn(OPERATIONS, operation))
		return restconfError('invalid-value', 'There is no such operation.', 'protocol', 404);
	const proof = {
		credentials: readCredentials(request.headers.get('authorization')),
		certified: await certifiedBy(request)
	};
	if (!proof.credentials && !proof.certified)
		return restconfError('access-denied', 'Say who you are: serial number and claim code.', 'protocol');
	// What is said in the clear is anybody's; the demo runs on one machine
	if (url.protocol !== 'https:' && process.env.LIMEN_DEMO !== 'yes')
		return restconfError(
			'access-denied',
			'Come over TLS: here others could read your claim code.',
			'transport',
			403
		);
	const asking = operation === 'ietf-sztp-bootstrap-server:get-bootstrapping-data';
	if (asking && !readsJson(request)) return NOT_READABLE();
	// What goes wrong at a unit may break its messages too: they are kept as far as they can be read
	const body = await readRpcBody(request, !asking);
	if (!body.ok) return body.error;
	// Only the question may come without a body
	const parsed = asking
		? v.safeParse(getBootstrappingDataSchema, body.json ?? {})
		: v.safeParse(reportProgressSchema, body.json ?? {});
	if (!parsed.success) {
		const [issue] = parsed.issues;
		return restconfError(
			tagOfIssue(issue),
			`${v.getDotPath(issue) ?? 'body'}: ${issue.message}`.slice(0, 300)
		);
	}
	const address = getClientAddress();
	const unit = await expectUnit(proof, address);
	if (!unit) return NOTHING();
	if ('wait' in unit) return restconfTooMany(unit.wait);
	if (asking) {
		const input = (parsed.output as v.InferOutput<typeof getBootstrappingDataSchema>)[INPUT] ?? {};
		const answer = isRedirecting(request) ? whereToAsk : bootstrappingData;
		const given = await answer(unit, input, serialOf(proof), address).catch((failure: unknown) => {
			if (failure instanceof GivenUp) return restconfBusy();
			throw failure;
		});
		if (given instanceof Response) return given;
		return given ? restconfData({ [OUTPUT]: { 'reporting-level': 'verbose', ...given } }) : NOTHING();
	}
	await recordProgress(unit, (parsed.output as v.InferOutput<typeof reportProgressSchema>)[INPUT]);
	return new Response(null, { status: 204 });
};

export const OPTIONS: RequestHandler = () => restconfOptions(ALLOWED);

/** Every other method, RFC 8040 section 4. */
export const fallback: RequestHandler = () => restconfNotAllowed(ALLOWED);
