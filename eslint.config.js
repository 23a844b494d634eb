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
		files: ['**/*.spec.ts', 'tests/**/*.ts'],
		rules: { '@typescript-eslint/no-unused-expressions': 'off' }
	}
);
