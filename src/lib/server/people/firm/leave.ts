import * as client from 'openid-client';
import { currentSettings, publicUrl } from '../../settings';
import { configuration, firmProvider, ProviderAway } from './provider';

/**
 * Where the firm's identity provider ends its own session of whoever goes there, and sends them back to the sign-in here
 * (OpenID Connect RP-Initiated Logout 1.0); its own front page where it offers no such place. Null without a provider, or
 * while it is away.
 */
export async function firmSignOut(): Promise<string | null> {
	if (!firmProvider()) return null;
	try {
		const found = await configuration();
		const { end_session_endpoint, issuer } = found.serverMetadata();
		if (!end_session_endpoint) return issuer;
		return client.buildEndSessionUrl(found, {
			post_logout_redirect_uri: `${publicUrl(currentSettings())}/sign-in`
		}).href;
	} catch (error) {
		if (error instanceof ProviderAway) return null;
		throw error;
	}
}
