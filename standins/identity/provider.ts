import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { Provider, type Configuration } from 'oidc-provider';
import { escape, PAGE_STYLE } from '../yard/pages';

/** Somebody whom the firm's identity provider knows. */
export interface FirmPerson {
	readonly sub: string;
	readonly name: string;
	readonly email: string;
	readonly groups: readonly string[];
}

interface Place {
	readonly issuer: string;
	/** Where people are sent back to. */
	readonly callback: string;
	readonly client: { readonly id: string; readonly secret: string };
}

/**
 * A firm's identity provider, as a stand-in: whoever comes chooses who they are. It asks each time, for as long as nobody has
 * chosen in this browser or the asking program wants it shown again.
 */
export function identityProvider(people: readonly FirmPerson[], { issuer, callback, client }: Place) {
	const personBy = (sub: string) => people.find((one) => one.sub === sub);
	const configuration: Configuration = {
		clients: [
			{
				client_id: client.id,
				client_secret: client.secret,
				redirect_uris: [callback],
				post_logout_redirect_uris: [new URL('/sign-in', callback).href],
				grant_types: ['authorization_code'],
				response_types: ['code']
			}
		],
		claims: { openid: ['sub'], profile: ['name', 'groups'], email: ['email', 'email_verified'] },
		findAccount: (_, sub) => {
			const person = personBy(sub);
			return (
				person && {
					accountId: sub,
					claims: () => ({ ...person, groups: [...person.groups], email_verified: true })
				}
			);
		},
		features: { devInteractions: { enabled: false } },
		interactions: { url: (_, { uid }) => `/choose/${uid}` },
		pkce: { required: () => true },
		cookies: { keys: ['a stand-in has no secrets'] },
		// Nobody is asked whether the firm's own program may know them
		loadExistingGrant: async ({ oidc }) => {
			const grant = new oidc.provider.Grant({
				clientId: oidc.client!.clientId,
				accountId: oidc.session!.accountId!
			});
			grant.addOIDCScope('openid profile email');
			await grant.save();
			return grant;
		}
	};
	const provider = new Provider(issuer, configuration);
	provider.on('server_error', (_, error) => console.error(error.message));
	const answer = provider.callback();
	return createServer((request: IncomingMessage, response: ServerResponse) => {
		const [, place, uid] = (request.url ?? '/').split('?')[0]!.split('/');
		if (place === 'choose' && uid)
			void choose(provider, people, request, response).catch((error: Error) => {
				response.writeHead(400, { 'content-type': 'text/plain' }).end(error.message);
			});
		else void answer(request, response);
	});
}

async function choose(
	provider: Provider,
	people: readonly FirmPerson[],
	request: IncomingMessage,
	response: ServerResponse
): Promise<void> {
	// Refuses what nobody began
	await provider.interactionDetails(request, response);
	const chosen = new URL(request.url!, 'http://here').searchParams.get('person');
	if (chosen === 'nobody')
		return provider.interactionFinished(request, response, {
			error: 'access_denied',
			error_description: 'Nobody was chosen.'
		});
	if (chosen !== null)
		return provider.interactionFinished(request, response, { login: { accountId: chosen, remember: false } });
	response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Sallowfield: who are you?</title>${PAGE_STYLE}</head>
<body><h1>Sallowfield: who are you?</h1>
<ul>${people.map(({ sub, name, groups }) => `<li><a href="?person=${encodeURIComponent(sub)}">${escape(name)}</a> (${groups.map(escape).join(', ') || 'in no group'})</li>`).join('')}
<li><a href="?person=nobody">Nobody of these</a></li></ul></body></html>`);
}
