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
	expectUnit,
	readRpcBody,
	recordProgress,
	restconfData,
	restconfError,
	restconfTooMany
} from '$lib/server/bootstrap';
import type { RequestHandler } from './$types';

/**
 * RFC 8572's two operations. Whoever has no well-formed credentials gets 401; everybody else whom we do
 * not serve gets the same 404, whether unknown, unbound or with a wrong code, so that nothing is told.
 */
const OPERATIONS = {
	'ietf-sztp-bootstrap-server:get-bootstrapping-data': getBootstrappingDataSchema,
	'ietf-sztp-bootstrap-server:report-progress': reportProgressSchema
} as const;

const NOTHING = () => restconfError('data-missing', 'There is nothing for this device.');

export const POST: RequestHandler = async ({ request, params, url, getClientAddress }) => {
	const { operation } = params;
	if (!Object.hasOwn(OPERATIONS, operation))
		return restconfError('operation-not-supported', 'There is no such operation.', 'protocol', 404);
	// Set by our own TLS server, which checked the certificate, under a name that only it knows
	const { LIMEN_DEVICE_HEADER } = process.env;
	const certified = LIMEN_DEVICE_HEADER ? request.headers.get(LIMEN_DEVICE_HEADER) : null;
	const credentials = certified
		? { serial: certified, claimCode: null }
		: readCredentials(request.headers.get('authorization'));
	if (!credentials)
		return restconfError('access-denied', 'Say who you are: serial number and claim code.', 'protocol');
	// What is said in the clear is anybody's; the demo runs on one machine
	if (url.protocol !== 'https:' && process.env.LIMEN_DEMO !== 'yes')
		return restconfError(
			'access-denied',
			'Come over TLS: here others could read your claim code.',
			'transport',
			403
		);
	const body = await readRpcBody(request);
	if (!body.ok) return body.error;
	const asking = operation === 'ietf-sztp-bootstrap-server:get-bootstrapping-data';
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
	const unit = await expectUnit(credentials, address);
	if (!unit) return NOTHING();
	if ('wait' in unit) return restconfTooMany(unit.wait);
	if (asking) {
		const input = (parsed.output as v.InferOutput<typeof getBootstrappingDataSchema>)[INPUT] ?? {};
		const conveyed = await bootstrappingData(unit, input, credentials.serial, address);
		if (conveyed === null) return NOTHING();
		return restconfData({ [OUTPUT]: { 'reporting-level': 'verbose', 'conveyed-information': conveyed } });
	}
	await recordProgress(unit, (parsed.output as v.InferOutput<typeof reportProgressSchema>)[INPUT]);
	return new Response(null, { status: 204 });
};

/** Every other method, RFC 8040 section 4. */
export const fallback: RequestHandler = () =>
	restconfError('operation-not-supported', 'Operations are invoked with POST.', 'protocol');
