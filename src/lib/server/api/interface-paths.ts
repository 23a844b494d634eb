import type { GenericSchema } from 'valibot';
import { formSchema } from './form-schema';

/** A parameter of an address; `isId`: a UUID. */
interface Parameter {
	readonly name: string;
	readonly isId: boolean;
}
/** An act of a page of the interface, as programs can do it; its form's schema, where it says one. */
export interface InterfaceAct {
	readonly path: string;
	readonly parameters: readonly Parameter[];
	readonly name: string;
	readonly schema: GenericSchema<unknown, unknown> | null;
	/** It may ask who it is, because it interrupts or exposes somebody's network. */
	readonly asks: boolean;
}
/** What a page shows; or a file that the interface offers. */
export interface InterfacePage {
	readonly path: string;
	readonly parameters: readonly Parameter[];
	readonly isFile: boolean;
}

const parametersOf = (parameters: readonly Parameter[]) =>
	parameters.map(({ name, isId }) => ({
		...{ name, in: 'path', required: true, description: isId ? 'Its id.' : 'Its name in the address.' },
		schema: isId ? { type: 'string', format: 'uuid' } : { type: 'string' }
	}));
/** How a program chooses the customer that a person chooses above each page. */
export const CUSTOMER_HEADER = 'limen-customer';
const CUSTOMER = {
	...{ name: 'Limen-Customer', in: 'header', required: false, schema: { type: 'string', format: 'uuid' } },
	description: 'The customer that it is about, as a person chooses it above the page; without it all of them.'
};
const json = (schema: object) => ({ content: { 'application/json': { schema } } });
const idOf = (what: string, path: string, name = ''): string =>
	[what, ...path.split('/').filter(Boolean), name].filter(Boolean).join('.').replace(/[{}]/g, '');

const DONE = {
	type: 'object',
	properties: {
		said: { type: 'string', description: 'What a person is told.' },
		goes: {
			type: 'string',
			description: 'The page to which a person is led; its last part is the id of what was made.'
		}
	},
	additionalProperties: true
};
/** The paths of an OpenAPI description by which programs see and do all that people see and do. */
export function interfacePaths(
	acts: readonly InterfaceAct[],
	pages: readonly InterfacePage[],
	problems: object
): Record<string, object> {
	const paths: Record<string, object> = {};
	for (const { path, parameters, isFile } of pages)
		paths[`/api/v1/pages${path === '/' ? '' : path}`] = {
			get: {
				operationId: idOf(isFile ? 'file' : 'page', path),
				tags: ['pages'],
				summary: isFile ? `The file at ${path}.` : `What the page ${path} shows.`,
				description:
					'A query is that of the page itself: its text, filters, order and whatever else stands in its address.',
				parameters: [...parametersOf(parameters), CUSTOMER],
				responses: {
					'200': {
						description: isFile ? 'The file.' : 'What it shows.',
						content: isFile
							? { '*/*': {} }
							: { 'application/json': { schema: { type: 'object', additionalProperties: true } } }
					},
					...problems
				}
			}
		};
	for (const { path, parameters, name, schema, asks } of acts)
		paths[`/api/v1/acts${path === '/' ? '' : path}/${name}`] = {
			post: {
				operationId: idOf('act', path, name),
				tags: ['acts'],
				summary: `“${name}” on the page ${path}.`,
				...(asks && {
					description:
						'It may interrupt or expose somebody’s network: the token must be allowed to, and a reason may be wanted.'
				}),
				parameters: [
					...parametersOf(parameters),
					CUSTOMER,
					{
						...{ name: 'Idempotency-Key', in: 'header', required: false, schema: { type: 'string' } },
						description: 'The same request with the same key is worked once.'
					}
				],
				requestBody: {
					required: true,
					...json(formSchema(schema))
				},
				responses: { '200': { description: 'Done.', ...json(DONE) }, ...problems }
			}
		};
	return paths;
}
