import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** @type {import('@sveltejs/kit').Config} */
export default {
	preprocess: vitePreprocess(),
	kit: {
		adapter: adapter({ precompress: true }),
		csp: {
			mode: 'nonce',
			directives: {
				'default-src': ['self'],
				'script-src': ['self'],
				// The reader of label photos is WebAssembly, which a worker runs without the page being allowed to
				'worker-src': ['self'],
				// Svelte and D3 write positions into style attributes
				'style-src': ['self', 'unsafe-inline'],
				'img-src': ['self', 'data:'],
				'object-src': ['none'],
				'base-uri': ['none'],
				'form-action': ['self'],
				'frame-ancestors': ['none']
			}
		},
		// Asked in hooks.server for the gates that browsers come to: units and programs send what they like
		csrf: { trustedOrigins: ['*'] },
		// Only the field's page works without signal: it brings its own worker, and nobody else fetches what it keeps
		serviceWorker: { register: false },
		// Limen ships inside private networks: everything a page needs comes from the application itself.
		alias: { $core: 'src/core', $ui: 'src/lib/ui' }
	}
};
