import { expect, test as base, type BrowserContext, type Request } from '@playwright/test';
import { BY_PROGRAMS, doneByProgram, noteForm, type Sent } from '../../programs';

export * from '@playwright/test';

/**
 * Each test's administrator has come in for it: who came in a while ago would be asked again who they are.
 * Who comes in during a test goes with it: every page that stays open loads anew at each change.
 */
export const test = base.extend<{ everybodyGoes: void }, { byPrograms: void }>({
	storageState: async ({ playwright, baseURL }, use) => {
		const caller = await playwright.request.newContext({
			baseURL,
			extraHTTPHeaders: { origin: baseURL!, accept: 'text/html' }
		});
		const list = await caller.get('/sign-in').then((answer) => answer.text());
		const person = /<button name="person" value="([^"]+)"[^>]*><b[^>]*>Sallowfield administrator</.exec(
			list
		)![1]!;
		const answer = await caller.post('/sign-in?/quick', { form: { person }, maxRedirects: 0 });
		expect(answer.status()).toBe(303);
		await use(await caller.storageState());
		await caller.dispose();
	},
	byPrograms: [
		async ({ browser }, use) => {
			if (BY_PROGRAMS) {
				const open = browser.newContext.bind(browser);
				browser.newContext = async (options) => actByProgram(await open(options));
			}
			await use();
		},
		{ scope: 'worker', auto: true }
	],
	everybodyGoes: [
		async ({ browser }, use) => {
			await use();
			await Promise.all(browser.contexts().map((context) => context.close()));
		},
		{ auto: true }
	]
});

/** What is sent as a form in this browser is done over the API first. */
async function actByProgram(context: BrowserContext): Promise<BrowserContext> {
	let isOffline = false;
	const setOffline = context.setOffline.bind(context);
	context.setOffline = (offline) => setOffline((isOffline = offline));
	await context.route(
		(url) => !url.pathname.startsWith('/_app/'),
		async (route) => {
			const sent = isOffline ? null : await formSent(context, route.request());
			if (!sent) return route.fallback();
			const done = await doneByProgram(sent);
			if (done) return route.fulfill({ json: done });
			const answered = await route.fetch({ maxRedirects: 0 }).catch(() => null);
			// Its page was closed meanwhile
			if (!answered) return;
			if (answered.ok()) await noteForm(sent.url, await answered.json());
			await route.fulfill({ response: answered });
		}
	);
	return context;
}
/** A form that a page's script sends for somebody; null for any other. */
async function formSent(context: BrowserContext, request: Request): Promise<Sent | null> {
	if (request.method() !== 'POST' || request.isNavigationRequest()) return null;
	const { 'content-type': type = '', ...headers } = await request.allHeaders();
	const session = (await context.cookies()).find(({ name }) => name === 'limen_session')?.value;
	if (!session || headers['x-sveltekit-action'] !== 'true') return null;
	const body = request.postDataBuffer();
	// The octets of files are not shown here: such a form goes its own way
	if (/; filename="[^"]/.test(body?.toString('latin1') ?? '')) return null;
	const form = body
		? await new Response(new Uint8Array(body), { headers: { 'content-type': type } }).formData()
		: new FormData();
	return { url: new URL(request.url()), session, form };
}
