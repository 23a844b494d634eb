import { openApi } from '$lib/server/api';
import { currentSettings, publicUrl } from '$lib/server/settings';
import { describedInterface } from '../interface';
import type { RequestHandler } from './$types';

let written: Promise<string> | undefined;

/** The description of this API, for anybody: it tells nothing that is anybody's. Written once, since it describes this program alone. */
export const GET: RequestHandler = async () =>
	new Response(
		await (written ??= describedInterface().then((people) =>
			JSON.stringify(openApi(publicUrl(currentSettings()), people))
		)),
		{ headers: { 'content-type': 'application/json' } }
	);
