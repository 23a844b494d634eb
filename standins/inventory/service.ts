import type { IncomingMessage, ServerResponse } from 'node:http';
import { setTimeout as wait } from 'node:timers/promises';
import * as v from 'valibot';
import { escape, PAGE_STYLE } from '../yard/pages';

/** How the inventory can misbehave, in words for its page. */
const INVENTORY_FAULTS = {
	none: 'answers',
	failing: 'answers with an error',
	page: 'answers with a web page',
	nothing: 'answers with nothing',
	columns: 'calls its columns otherwise',
	endless: 'never stops sending'
} as const;
type InventoryFault = keyof typeof INVENTORY_FAULTS;

type Place = Readonly<Record<string, unknown>> & { readonly id: string };

/** What a program shows to be let in. */
export const INVENTORY_KEY = 'sallowfield-demo-inventory';
const ON_A_PAGE = 4;

const commandSchema = v.object({
	fault: v.optional(v.picklist(Object.keys(INVENTORY_FAULTS) as [InventoryFault, ...InventoryFault[]])),
	/** Time that each page takes, in milliseconds. */
	slowness: v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(120_000))),
	/** A value of a place is another from now on; a path such as `contact/phone`. */
	change: v.optional(
		v.object({ id: v.string(), path: v.pipe(v.string(), v.maxLength(80)), value: v.string() })
	),
	remove: v.optional(v.string()),
	add: v.optional(v.looseObject({ id: v.string() }))
});

/** Somebody else's inventory of places: pages of JSON behind a key, which change, are slow, and fail. */
export class Inventory {
	fault: InventoryFault = 'none';
	slowness = 0;
	constructor(private places: readonly Place[]) {}

	/** `/inventory`: its page; `/inventory/places?page=N`: what a program is told; a command as JSON is obeyed. */
	async answer(request: IncomingMessage, response: ServerResponse, given: string): Promise<void> {
		const url = new URL(request.url ?? '/', 'http://inventory.example');
		if (url.pathname === '/inventory/places')
			return this.tell(request, response, Number(url.searchParams.get('page') ?? 1));
		if (url.pathname !== '/inventory') return json(response, 404, { error: 'no such page' });
		if (request.method === 'POST') {
			// A page of another origin cannot send this type without asking first
			if (request.headers['content-type'] !== 'application/json')
				return json(response, 415, { error: 'application/json only' });
			this.obey(v.parse(commandSchema, JSON.parse(given)));
			return json(response, 200, { fault: this.fault, places: this.places.length });
		}
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(this.page());
	}

	private obey({ fault, slowness, change, remove, add }: v.InferOutput<typeof commandSchema>): void {
		if (fault !== undefined) this.fault = fault;
		if (slowness !== undefined) this.slowness = slowness;
		if (remove !== undefined) this.places = this.places.filter(({ id }) => id !== remove);
		if (change)
			this.places = this.places.map((place) =>
				place.id === change.id ? (changed(place, change.path.split('/'), change.value) as Place) : place
			);
		if (add) this.places = [...this.places, add];
	}

	private async tell(request: IncomingMessage, response: ServerResponse, page: number): Promise<void> {
		if (this.slowness > 0) await wait(this.slowness);
		if (request.headers['x-api-key'] !== INVENTORY_KEY) return json(response, 401, { error: 'no key' });
		switch (this.fault) {
			case 'failing':
				return json(response, 500, { error: 'out of order' });
			case 'page':
				return void response
					.writeHead(200, { 'content-type': 'text/html' })
					.end('<!doctype html><title>Sign in</title>');
			case 'nothing':
				return void response.writeHead(200, { 'content-type': 'application/json' }).end();
			case 'endless':
				return this.endless(response);
		}
		const from = (page - 1) * ON_A_PAGE;
		const shown = this.places.slice(from, from + ON_A_PAGE);
		json(response, 200, {
			places:
				this.fault === 'columns' ? shown.map(({ name, ...place }) => ({ ...place, title: name })) : shown,
			next: from + ON_A_PAGE < this.places.length ? `/inventory/places?page=${page + 1}` : null
		});
	}

	private endless(response: ServerResponse): void {
		response.writeHead(200, { 'content-type': 'application/json' }).write('{"places":[');
		const more = () => {
			while (!response.destroyed && response.write(' '.repeat(65_536)));
		};
		response.on('drain', more);
		more();
	}

	private page(): string {
		const options = (names: readonly (readonly [string, string])[], chosen = '') =>
			names
				.map(
					([value, words]) =>
						`<option value="${escape(value)}"${value === chosen ? ' selected' : ''}>${escape(words)}</option>`
				)
				.join('');
		const ids = options(this.places.map(({ id, name }) => [id, `${id} ${String(name)}`] as const));
		return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Inventory</title>${PAGE_STYLE}</head>
<body><h1>Somebody else’s inventory</h1><p><a href="/">To the yard</a>. Programs read <code>/inventory/places</code>, a list at <code>/places</code>, the next page at <code>/next</code>, with the header <code>X-Api-Key: ${INVENTORY_KEY}</code>.</p>
<form data-kind="fault"><label>It <select name="fault">${options(Object.entries(INVENTORY_FAULTS), this.fault)}</select></label> <button>Set</button></form>
<form data-kind="change"><label>Place <select name="id">${ids}</select></label> <label>What <input name="path" value="contact/phone"></label> <label>Now <input name="value"></label> <button>Change it</button></form>
<form data-kind="remove"><label>Place <select name="id">${ids}</select></label> <button>Remove it</button></form>
${this.places.map((place) => `<article><h2>${escape(place.id)}</h2>${escape(JSON.stringify(place, null, 2))}</article>`).join('\n')}
<script>for (const form of document.forms) form.onsubmit = async (event) => {
	event.preventDefault();
	const given = Object.fromEntries(new FormData(form));
	const kind = form.dataset.kind;
	const body = kind === 'fault' ? given : { [kind]: kind === 'remove' ? given.id : given };
	await fetch('/inventory', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
	location.reload();
};</script></body></html>`;
	}
}

const json = (response: ServerResponse, status: number, body: unknown): void =>
	void response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));

function changed(value: unknown, [step, ...rest]: readonly string[], to: string): unknown {
	if (step === undefined) return to;
	return { ...(value as object), [step]: changed((value as Record<string, unknown>)?.[step], rest, to) };
}
