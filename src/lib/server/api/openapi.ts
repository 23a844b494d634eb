import { toJsonSchema } from '@valibot/to-json-schema';
import * as v from 'valibot';
import type { GenericSchema } from 'valibot';
import { interfacePaths, type InterfaceAct, type InterfacePage } from './interface-paths';
import * as schemas from './schemas';

/** The OpenAPI 3.1 description of /api/v1, made of the schemas that requests are read with. */
const SCHEMAS = {
	BatchWanted: schemas.batchWantedSchema,
	Batch: schemas.batchSchema,
	BindingWanted: schemas.bindingWantedSchema,
	Binding: schemas.bindingSchema,
	PositionPage: schemas.pageOf(schemas.positionSchema),
	UnitPage: schemas.pageOf(schemas.unitSchema),
	Run: schemas.runSchema,
	RunPage: schemas.pageOf(schemas.runSchema),
	AlertPage: schemas.pageOf(schemas.alertSchema),
	SitePage: schemas.pageOf(schemas.siteSchema),
	Proof: schemas.proofSchema,
	ProofBegun: schemas.proofWantedSchema,
	Reachability: v.object({ items: v.array(schemas.reachabilitySchema) }),
	Rehearsal: schemas.rehearsalSchema,
	HandoverPage: schemas.pageOf(schemas.handoverSchema),
	CustomerPage: schemas.pageOf(schemas.namedSchema),
	ProfilePage: schemas.pageOf(schemas.namedSchema),
	Problem: schemas.problemSchema
} as const satisfies Record<string, GenericSchema>;
type Name = keyof typeof SCHEMAS;

const content = (name: Name, type = 'application/json') => ({
	content: { [type]: { schema: { $ref: `#/components/schemas/${name}` } } }
});
const PROBLEMS = Object.fromEntries(
	['400', '401', '403', '404', '405', '409', '411', '413', '415', '422', '503'].map((status) => [
		status,
		{ description: 'A problem (RFC 9457).', ...content('Problem', 'application/problem+json') }
	])
);
const parameter = (name: string, description: string, where = 'query', required = false) => ({
	name,
	in: where,
	required,
	description,
	schema: where === 'path' ? { type: 'string', format: 'uuid' } : { type: 'string' }
});
const PAGE = [
	parameter('limit', 'How many, 1 to 200; 50 when left out.'),
	parameter('after', 'The “next” of the page before.')
];
const ONCE = parameter('Idempotency-Key', 'The same request with the same key is worked once.', 'header');

const operation = (
	operationId: string,
	summary: string,
	{
		parameters = [] as object[],
		body,
		status = '200',
		gives
	}: { parameters?: object[]; body?: Name; status?: string; gives?: Name }
) => ({
	operationId,
	summary,
	parameters,
	...(body && { requestBody: { required: true, ...content(body) } }),
	responses: { [status]: { description: summary, ...(gives && content(gives)) }, ...PROBLEMS }
});
const ID = (name: string) => parameter(name, 'Its id.', 'path', true);

export const openApi = (
	server: string,
	people: { readonly acts: readonly InterfaceAct[]; readonly pages: readonly InterfacePage[] }
) => ({
	openapi: '3.1.0',
	info: {
		title: 'Limen',
		version: '1',
		description:
			'Things of the trade for programs, under /api/v1; and all that people see and do in the interface, under /api/v1/pages and /api/v1/acts, for a program with a personal token, which acts there as the person who made it.'
	},
	servers: [{ url: server }],
	security: [{ token: [] }],
	paths: {
		'/api/v1/batches': {
			post: operation('claim', 'Claim units; every row gets its verdict.', {
				parameters: [ONCE],
				body: 'BatchWanted',
				status: '201',
				gives: 'Batch'
			})
		},
		'/api/v1/batches/{id}': {
			get: operation('batch', 'A batch with what came of each row.', {
				parameters: [ID('id')],
				gives: 'Batch'
			})
		},
		'/api/v1/bindings': {
			post: operation('bind', 'Bind a unit to a position; its run begins.', {
				parameters: [ONCE],
				body: 'BindingWanted',
				status: '201',
				gives: 'Binding'
			})
		},
		'/api/v1/bindings/{position}': {
			delete: operation('unbind', 'Unbind what is bound to a position.', {
				parameters: [ID('position'), ONCE],
				status: '204'
			})
		},
		'/api/v1/positions': {
			get: operation('positions', 'Positions, a page at a time.', { parameters: PAGE, gives: 'PositionPage' })
		},
		'/api/v1/positions/{id}/retry': {
			post: operation('retry', 'Let the unit at a position try again, or start over; its next run begins.', {
				parameters: [ID('id'), ONCE],
				status: '201',
				gives: 'Binding'
			})
		},
		'/api/v1/customers': {
			get: operation('customers', 'Customers, a page at a time.', { parameters: PAGE, gives: 'CustomerPage' })
		},
		'/api/v1/profiles': {
			get: operation('profiles', 'Profiles in use, a page at a time.', {
				parameters: PAGE,
				gives: 'ProfilePage'
			})
		},
		'/api/v1/alerts': {
			get: operation('alerts', 'What a person should see, the oldest first, a page at a time.', {
				parameters: PAGE,
				gives: 'AlertPage'
			})
		},
		'/api/v1/sites': {
			get: operation('sites', 'Sites with how they stand, a page at a time.', {
				parameters: PAGE,
				gives: 'SitePage'
			})
		},
		'/api/v1/sites/{id}/proof': {
			get: operation('proof', 'The last proof of a site, with its checks.', {
				parameters: [ID('id')],
				gives: 'Proof'
			}),
			post: operation('prove', 'Prove a site: every check that its plan expects begins.', {
				parameters: [ID('id'), ONCE],
				status: '201',
				gives: 'ProofBegun'
			})
		},
		'/api/v1/sites/{id}/reachability': {
			get: operation(
				'reachability',
				'Whom a site reaches, and who reaches it: every pair, as it was looked at last.',
				{
					parameters: [ID('id')],
					gives: 'Reachability'
				}
			)
		},
		'/api/v1/sites/{id}/rehearsal': {
			get: operation('rehearse', 'What would come of a site, computed now, before anything happens.', {
				parameters: [ID('id')],
				gives: 'Rehearsal'
			})
		},
		'/api/v1/handovers': {
			get: operation('handovers', 'Handovers, a page at a time.', { parameters: PAGE, gives: 'HandoverPage' })
		},
		'/api/v1/handovers/{id}/{file}': {
			get: operation(
				'handoverFile',
				'A file of a handover, to the letter: handover.json, handover.pdf, the .p7s of either, certificate.pem.',
				{
					parameters: [
						ID('id'),
						{ ...parameter('file', 'Its name.', 'path', true), schema: { type: 'string' } }
					]
				}
			)
		},
		'/api/v1/units': {
			get: operation('units', 'Units, a page at a time.', {
				parameters: [...PAGE, parameter('serial', 'Only the unit with this serial number.')],
				gives: 'UnitPage'
			})
		},
		'/api/v1/runs': {
			get: operation('runs', 'Runs, a page at a time.', { parameters: PAGE, gives: 'RunPage' })
		},
		'/api/v1/runs/{id}': {
			get: operation('run', 'One run as it is now.', { parameters: [ID('id')], gives: 'Run' })
		},
		...interfacePaths(people.acts, people.pages, PROBLEMS)
	},
	components: {
		securitySchemes: {
			token: {
				type: 'http',
				scheme: 'bearer',
				description:
					'A service token, made under People; or a personal token, made by each for themselves under Your account.'
			}
		},
		schemas: Object.fromEntries(
			Object.entries(SCHEMAS).map(([name, schema]) => {
				const described = toJsonSchema(schema as GenericSchema, { errorMode: 'ignore' });
				// The document says once, for all of them, which JSON Schema they are written in
				delete described.$schema;
				return [name, described];
			})
		)
	}
});
