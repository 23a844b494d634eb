const LIBRARY_REVISION = '2016-06-21';
const SERVER = 'ietf-sztp-bootstrap-server';
const OPERATIONS = { [`${SERVER}:get-bootstrapping-data`]: [null], [`${SERVER}:report-progress`]: [null] };

/** RFC 7895: which modules are spoken here. */
const MODULES = [
	{ name: 'ietf-restconf', revision: '2017-01-26', namespace: 'urn:ietf:params:xml:ns:yang:ietf-restconf' },
	{
		name: 'ietf-yang-library',
		revision: LIBRARY_REVISION,
		namespace: 'urn:ietf:params:xml:ns:yang:ietf-yang-library'
	},
	{ name: SERVER, revision: '2019-04-30', namespace: `urn:ietf:params:xml:ns:yang:${SERVER}` }
].map((module) => ({ ...module, 'conformance-type': 'implement' }));
const STATE = { 'module-set-id': 'limen-1', module: MODULES };

/**
 * What can be read of a RESTCONF server (RFC 8040 sections 3.3 and 3.8) that only bootstraps units: its root, its
 * operations, and its modules. By the path below the root, as JSON (RFC 7951).
 */
export const RESTCONF_RESOURCES: ReadonlyMap<string, object> = new Map<string, object>([
	['', { 'ietf-restconf:restconf': { data: {}, operations: {}, 'yang-library-version': LIBRARY_REVISION } }],
	['data', { 'ietf-restconf:data': { 'ietf-yang-library:modules-state': STATE } }],
	['data/ietf-yang-library:modules-state', { 'ietf-yang-library:modules-state': STATE }],
	['operations', { 'ietf-restconf:operations': OPERATIONS }],
	['yang-library-version', { 'ietf-restconf:yang-library-version': LIBRARY_REVISION }]
]);
