import { randomBytes } from 'node:crypto';
import { v7 as uuid } from 'uuid';
import { HAPPENINGS_IN_ORDER } from '../../src/core/webhooks';
import { database } from '../../src/lib/server/database';
import { seal } from '../../src/lib/server/keys';
import { currentSettings } from '../../src/lib/server/settings';

/** The yard listens to what happens in the demo. */
export async function loadWebhook(): Promise<void> {
	await database()('webhook').insert({
		id: uuid(),
		name: 'The yard’s listener',
		url: `http://127.0.0.1:${currentSettings().LIMEN_YARD_PORT}/heard`,
		kinds: HAPPENINGS_IN_ORDER,
		secret: seal(randomBytes(32).toString('base64')),
		made_by: 'Limen'
	});
}
