/** The direction of the house: routes → lib → core; stand-ins → core; nobody imports a stand-in. */
const rule = (name, from, to, comment) => ({ name, severity: 'error', comment, from, to });

module.exports = {
	forbidden: [
		rule('no-cycles', {}, { circular: true }, 'No cycles, also between folders.'),
		rule(
			'core-is-alone',
			{ path: '^src/core' },
			{ path: '^(src/(?!core)|standins|command|migrations|tests|bench)' }
		),
		rule(
			'core-does-no-io',
			{ path: '^src/core', pathNot: '\\.spec\\.ts$' },
			{ dependencyTypes: ['core'] },
			'Core runs in browser, worker and server alike.'
		),
		rule(
			'rooms-have-one-door',
			{ path: '^src/(core|lib/server|lib/ui)/([^/]+)/', pathNot: '^src/lib/server/threads/worker\\.ts$' },
			{ path: '^src/(core|lib/server|lib/ui)/[^/]+/', pathNot: ['^src/$1/$2/', '/index\\.ts$'] },
			'Nothing imports past another folder’s index. (A thread takes only what it computes with.)'
		),
		rule(
			'rooms-have-one-door-for-pages',
			{ path: '^src/(routes/|hooks|lib/server/[^/]+\\.ts$)' },
			{ path: '^src/(core|lib/server|lib/ui)/[^/]+/', pathNot: '/index\\.ts$' }
		),
		rule('lib-below-routes', { path: '^src/lib' }, { path: '^src/routes' }),
		rule('ui-without-server', { path: '^src/lib/ui' }, { path: '^src/lib/server' }),
		rule('server-without-ui', { path: '^src/lib/server' }, { path: '^src/lib/ui' }),
		rule(
			'standins-read-for-themselves',
			{ path: '^standins' },
			{ path: '^src/core/(config|pack|terminal)' },
			'Or the product would be tested against itself.'
		),
		rule(
			'standins-know-core-only',
			{ path: '^standins' },
			{ path: '^(src/(?!core)|command|migrations|tests)' }
		),
		rule('nobody-imports-standins', { path: '^(src|migrations)' }, { path: '^standins' }),
		rule(
			'product-without-tests',
			{ path: '^(src|standins|migrations)', pathNot: '\\.spec\\.ts$' },
			{ path: '^(tests|bench|command)' }
		)
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		exclude: { path: '^(build|\\.svelte-kit|node_modules)' },
		tsConfig: { fileName: 'tsconfig.json' },
		tsPreCompilationDeps: true,
		enhancedResolveOptions: {
			extensions: ['.ts', '.js', '.svelte', '.svelte.ts', '.json'],
			conditionNames: ['import', 'node', 'svelte', 'default']
		}
	}
};
