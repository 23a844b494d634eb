import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** @type {import('@sveltejs/kit').Config} */
export default {
	preprocess: vitePreprocess(),
	kit: {
		adapter: adapter({ precompress: false }),
		// Limen ships inside private networks: everything a page needs comes from the application itself.
		alias: { $core: 'src/core', $ui: 'src/lib/ui' }
	}
};
