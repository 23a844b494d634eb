import { callHomeKeys, seal } from '../../../src/lib/server/keys';
import { online, onlineRouter } from '../gateway';
import { customerId, customerLike, post, unwalled } from '../making';
import type { Ask } from '../walk';

/** Secrets that are due, and the key that Limen logs in with. */
export const SECRETS: Readonly<Record<string, Ask>> = {
	'POST /upkeep/secrets?/due': async (_ids, as) => {
		const name = await customerLike('Pippin & Loaf', { local_password: seal('oven-door-4') });
		const customer = await customerId(name);
		const router = await onlineRouter(name);
		try {
			await post('/upkeep/secrets?/rule', { customer, about: '', days: '1' }, {}, as);
			await unwalled()('secret').where({ customer_id: customer }).update({ since: '2026-01-01' });
			return await post('/upkeep/secrets?/due', {}, {}, as);
		} finally {
			await router.call!.end();
		}
	},
	'POST /upkeep/secrets?/newKey': async (_ids, as) =>
		post('/upkeep/secrets?/newKey', { key: callHomeKeys()[0].fingerprint }, {}, as),
	'POST /upkeep/secrets?/bringToKey': async (_ids, as) => {
		const gateway = await online();
		try {
			await post('/upkeep/secrets?/newKey', { key: callHomeKeys()[0].fingerprint }, {}, as);
			return await post('/upkeep/secrets?/bringToKey', { key: callHomeKeys()[0].fingerprint }, {}, as);
		} finally {
			await gateway.call!.end();
		}
	}
};
