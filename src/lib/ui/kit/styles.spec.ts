import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';

/** Folders of the library whose styles `app.css` takes in; all of them would be a third more for every page. */
const taken = /flowbite-svelte\/dist\/\{([^}]+)\}/.exec(readFileSync('src/app.css', 'utf8'))![1]!.split(',');
const { exports } = JSON.parse(readFileSync('node_modules/flowbite-svelte/package.json', 'utf8')) as {
	exports: Record<string, { svelte?: string }>;
};
const NAMED = /import \{([^}]*)\} from 'flowbite-svelte'/g;

describe('the library’s styles', () => {
	it('are there for every component that is used', () => {
		const used = new Set(
			readdirSync('src', { recursive: true, encoding: 'utf8' })
				.filter((path) => path.endsWith('.svelte'))
				.flatMap((path) => [...readFileSync(join('src', path), 'utf8').matchAll(NAMED)])
				.flatMap(([, names]) => names!.split(',').map((name) => name.trim()))
				.filter((name) => name !== '' && !name.startsWith('type '))
		);
		expect(used).to.include('Button').and.to.include('Datepicker');
		for (const name of used) {
			const folder = /^\.\/dist\/([^/]+)\//.exec(exports[`./${name}.svelte`]?.svelte ?? '')?.[1];
			expect(taken, `${name}: name its folder in app.css`).to.include(folder);
		}
	});
});
