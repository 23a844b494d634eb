import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig, type Plugin } from 'vite';

/** What every page needs comes as one file, and what many share as another: fifty small ones took longer to come than to run. */
const fewFiles: Plugin = {
	name: 'few files',
	config: (_config, { isSsrBuild }) =>
		isSsrBuild
			? null
			: {
					build: {
						rolldownOptions: {
							output: {
								codeSplitting: {
									groups: [
										{ name: 'shell', test: /\/src\/routes\/\+layout\.svelte$/, priority: 1 },
										{ name: 'often', minShareCount: 25, test: /\.(js|ts|svelte)$/ }
									]
								}
							}
						}
					}
				}
};

export default defineConfig({
	plugins: [tailwindcss(), sveltekit(), fewFiles],
	build: {
		chunkSizeWarningLimit: 1200,
		// Nobody reads the report of sizes, which compresses every file once more
		reportCompressedSize: false,
		// A page takes of the interface's rooms, and of the library, only what it uses: importing one has no effect of its own
		rolldownOptions: {
			treeshake: {
				moduleSideEffects: [
					{
						test: /\/(src\/(lib\/ui|core)|node_modules\/flowbite-svelte\/dist)\/.*(?<!\.css)$/,
						sideEffects: false
					}
				]
			}
		}
	},
	ssr: { external: ['ssh2', 'pg', 'knex'] }
});
