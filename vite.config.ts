import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

export default defineConfig({
	plugins: [tailwindcss(), sveltekit()],
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
