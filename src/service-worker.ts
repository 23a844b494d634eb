/// <reference types="@sveltejs/kit" />
/// <reference lib="webworker" />
import { build, files, version } from '$service-worker';

/**
 * Lets a technician's day open without signal. Only that page and what it is made of are kept, and a page that
 * says what the others need;  the network goes first, and what is kept is shown when it does not answer.
 */
const worker = self as unknown as ServiceWorkerGlobalScope;
const MADE_OF = `limen-${version}`;
const PAGES = 'limen-day-page';
const PAGE = '/day';
const NO_SIGNAL = '/no-signal.html';
/** Somebody who waits for the page is shown the kept one after this; keeping it for later has more time. */
const PATIENCE_MS = 4_000;
const KEEPING_MS = 60_000;

worker.addEventListener('install', (event) => {
	event.waitUntil(keepAll().then(() => worker.skipWaiting()));
});

/** A few at a time: a browser has six connections to a server, and the page needs some of them. */
const AT_ONCE = 3;
async function keepAll(): Promise<void> {
	const cache = await caches.open(MADE_OF);
	const all = [...build, ...files];
	for (let from = 0; from < all.length; from += AT_ONCE) await cache.addAll(all.slice(from, from + AT_ONCE));
}

worker.addEventListener('activate', (event) => {
	event.waitUntil(
		(async () => {
			for (const name of await caches.keys())
				if (name.startsWith('limen-') && name !== MADE_OF && name !== PAGES) await caches.delete(name);
			await worker.clients.claim();
		})()
	);
});

worker.addEventListener('fetch', (event) => {
	const { request } = event;
	const url = new URL(request.url);
	if (request.method !== 'GET' || url.origin !== worker.location.origin) return;
	if (build.includes(url.pathname) || files.includes(url.pathname)) event.respondWith(fromKept(request));
	else if (request.mode === 'navigate' && url.pathname === PAGE) event.respondWith(page(request));
	else if (request.mode === 'navigate') event.respondWith(fetch(request).catch(noSignal));
});

/** A page that was reached by a link within the application came past this worker: it asks to be kept. */
worker.addEventListener('message', (event) => {
	const { keep } = (event.data ?? {}) as { keep?: unknown };
	if (typeof keep !== 'string') return;
	const url = new URL(keep, worker.location.origin);
	if (url.origin !== worker.location.origin || url.pathname !== PAGE) return;
	const [reply] = event.ports;
	event.waitUntil(
		keepPage(new Request(url), KEEPING_MS).then(
			() => reply?.postMessage('kept'),
			() => reply?.postMessage('not kept')
		)
	);
});

async function keepPage(request: Request, patience: number): Promise<Response> {
	const response = await fetch(request, {
		signal: AbortSignal.timeout(patience),
		headers: { accept: 'text/html' },
		credentials: 'same-origin'
	});
	// A redirect to sign in is not the page
	if (response.ok && !response.redirected) await (await caches.open(PAGES)).put(PAGE, response.clone());
	return response;
}

async function fromKept(request: Request): Promise<Response> {
	return (await caches.match(request, { cacheName: MADE_OF, ignoreSearch: true })) ?? fetch(request);
}

/** Every other page says kindly that it needs signal. */
const noSignal = async (): Promise<Response> =>
	(await caches.match(NO_SIGNAL, { cacheName: MADE_OF })) ?? Response.error();

async function page(request: Request): Promise<Response> {
	try {
		return await keepPage(request, PATIENCE_MS);
	} catch (error) {
		const kept = await caches.match(PAGE, { cacheName: PAGES });
		if (kept) return kept;
		throw error;
	}
}
