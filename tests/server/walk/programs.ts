import { address, get, invoke, lineOf, newLabel, newUnit, overTls } from '../making';
import type { Asks } from './asking';

const program = (token: string, method: string, path: string, body?: object) =>
	fetch(address(path), {
		method,
		headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
		body: body ? JSON.stringify(body) : null
	});

/** What programs, units and browsers ask for. */
export const PROGRAMS: Asks = {
	'GET /api/v1/alerts': (_ids, _as, token) => program(token, 'GET', '/api/v1/alerts'),
	'GET /components': (_ids, as) => get('/components', as),
	'GET /healthz': (_ids, as) => get('/healthz', as),
	'GET /readyz': (_ids, as) => get('/readyz', as),
	'GET /.well-known/host-meta': (_ids, as) => get('/.well-known/host-meta', as),
	'GET /images/[line]/[version]': (_ids, as) => get('/images/nothing/1', as),
	'GET /files/[hash]/[name]': (_ids, as) => get(`/files/${'0'.repeat(64)}/nothing`, as),
	'POST /restconf/operations/[operation]': (ids) =>
		invoke('get-bootstrapping-data', { serial: ids.serial, claimCode: 'WRONGCODE' }),
	'fallback /restconf/operations/[operation]': (_ids, as) => get('/restconf/operations/x', as),
	'OPTIONS /restconf/operations/[operation]': () => overTls('/restconf/operations/x', { method: 'OPTIONS' }),
	'GET /restconf/[...resource]': (_ids, as) => get('/restconf/data', as),
	'OPTIONS /restconf/[...resource]': () => overTls('/restconf', { method: 'OPTIONS' }),
	'fallback /restconf/[...resource]': () => overTls('/restconf', { method: 'DELETE' }),
	'GET /api/v1/customers': (_ids, _as, token) => program(token, 'GET', '/api/v1/customers'),
	'GET /api/v1/profiles': (_ids, _as, token) => program(token, 'GET', '/api/v1/profiles'),
	'GET /api/v1/pages/[...path]': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/pages/sites/${ids.site}`),
	'POST /api/v1/acts/[...path]': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/acts/sites/${ids.site}/prove`, {}),
	'GET /api/v1/openapi.json': (_ids, as) => get('/api/v1/openapi.json', as),
	'POST /api/v1/batches': (ids, _as, token) =>
		program(token, 'POST', '/api/v1/batches', { customerId: ids.customer, text: lineOf(newLabel()) }),
	'GET /api/v1/batches/[id=uuid]': (ids, _as, token) => program(token, 'GET', `/api/v1/batches/${ids.batch}`),
	'POST /api/v1/bindings': async (ids, _as, token) =>
		program(token, 'POST', '/api/v1/bindings', {
			positionId: ids.position,
			unitId: (await newUnit()).unitId
		}),
	'DELETE /api/v1/bindings/[position=uuid]': (ids, _as, token) =>
		program(token, 'DELETE', `/api/v1/bindings/${ids.position}`),
	'GET /api/v1/positions': (_ids, _as, token) => program(token, 'GET', '/api/v1/positions'),
	'POST /api/v1/positions/[id=uuid]/retry': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/positions/${ids.position}/retry`),
	'GET /api/v1/units': (ids, _as, token) => program(token, 'GET', `/api/v1/units?serial=${ids.serial}`),
	'GET /api/v1/sites': (_ids, _as, token) => program(token, 'GET', '/api/v1/sites'),
	'GET /api/v1/sites/[id=uuid]/proof': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/proof`),
	'GET /api/v1/sites/[id=uuid]/rehearsal': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/rehearsal`),
	'GET /api/v1/sites/[id=uuid]/reachability': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/sites/${ids.site}/reachability`),
	'POST /api/v1/sites/[id=uuid]/proof': (ids, _as, token) =>
		program(token, 'POST', `/api/v1/sites/${ids.site}/proof`),
	'GET /api/v1/handovers': (_ids, _as, token) => program(token, 'GET', '/api/v1/handovers'),
	'GET /api/v1/handovers/[id=uuid]/[file]': (ids, _as, token) =>
		program(token, 'GET', `/api/v1/handovers/${ids.handover}/handover.json`),
	'GET /api/v1/runs': (_ids, _as, token) => program(token, 'GET', '/api/v1/runs'),
	'GET /api/v1/runs/[id=uuid]': (ids, _as, token) => program(token, 'GET', `/api/v1/runs/${ids.run}`)
};
