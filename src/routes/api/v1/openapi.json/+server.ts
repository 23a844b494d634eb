import { json } from '@sveltejs/kit';
import { openApi } from '$lib/server/api';
import { currentSettings, publicUrl } from '$lib/server/settings';
import type { RequestHandler } from './$types';

/** The description of this API, for anybody: it tells nothing that is anybody's. */
export const GET: RequestHandler = () => json(openApi(publicUrl(currentSettings())));
