import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

/**
 * Inside a transaction every query goes through it: another connection would see what was before, and enough
 * of them waiting for each other empty the pool.
 */
const ONE_CONNECTION = ['ArrowFunctionExpression', 'FunctionExpression', 'FunctionDeclaration'].map((kind) => ({
	selector: `${kind}[params.0.name='trx'] CallExpression[callee.name='database']`,
	message: 'Inside a transaction ask through it (trx), not through another connection (database()).'
}));

/** What is stored or compared beside the database's own time goes by no other clock. */
const ONE_CLOCK = ["CallExpression[callee.object.name='Date'][callee.property.name='now']", "NewExpression[callee.name='Date'][arguments.length=0]"].map(
	(selector) => ({ selector, message: 'Ask timeNow() of the database what time it is.' })
);

export default ts.config(
	{ ignores: ['build/', '.svelte-kit/', '.limen/', 'node_modules/', 'test-results/'] },
	js.configs.recommended,
	...ts.configs.recommended,
	...svelte.configs.recommended,
	{
		languageOptions: { globals: { ...globals.browser, ...globals.node } },
		rules: {
			'no-undef': 'off',
			'no-restricted-syntax': ['error', ...ONE_CONNECTION],
			'@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
			// Addresses are same-origin paths without a base; resolve() would add noise to every link.
			'svelte/no-navigation-without-resolve': 'off',
			// Large tables are plain values in $state.raw, replaced whole; a reactive map per row costs more
			'svelte/prefer-svelte-reactivity': 'off'
		}
	},
	{
		files: ['**/*.svelte', '**/*.svelte.ts'],
		languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } }
	},
	{
		files: ['src/lib/server/**/*.ts', 'src/routes/**/*.ts', 'src/hooks.server.ts'],
		ignores: ['src/lib/server/database/clock.ts', '**/*.spec.ts'],
		rules: { 'no-restricted-syntax': ['error', ...ONE_CONNECTION, ...ONE_CLOCK] }
	},
	{
		files: ['**/*.spec.ts', 'tests/**/*.ts'],
		rules: { '@typescript-eslint/no-unused-expressions': 'off' }
	}
);
