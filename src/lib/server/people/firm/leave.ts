import * as client from 'openid-client';
import { currentSettings, publicUrl } from '../../settings';
import { configuration, firmProvider, ProviderAway } from './provider';

/**
 * Where the firm's identity provider ends its own session of whoever goes there (OpenID Connect RP-Initiated Logout 1.0), and
 * sends them back to the sign-in here. Null without a provider, or where it offers no such place or is away.
 */
export async function firmSignOut(): Promise<string | null> {
	if (!firmProvider()) return null;
	try {
		const found = await configuration();
		if (!found.serverMetadata().end_session_endpoint) return null;
		return client.buildEndSessionUrl(found, {
			post_logout_redirect_uri: `${publicUrl(currentSettings())}/sign-in`
		}).href;
	} catch (error) {
		if (error instanceof ProviderAway) return null;
		throw error;
	}
}
