import * as v from 'valibot';
import { counted } from '$core/text';
import { formAction, oneId } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import {
	planTunnel,
	planWantedTunnels,
	positionChoices,
	removeTunnel,
	renewTunnelSecret,
	tunnels,
	tunnelSchema,
	tunnelsWanted
} from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const making = url.searchParams.get('make');
	const [all, wanted, places] = await Promise.all([
		tunnels({ customerId: locals.customerId }),
		tunnelsWanted(locals.customerId),
		making && v.is(v.pipe(v.string(), v.uuid()), making) ? positionChoices(making) : []
	]);
	return {
		tunnels: all.filter(({ customerId }) => maySee(locals, 'see renderings', customerId)),
		wanted: wanted.filter(({ customerId }) => maySee(locals, 'plan addresses', customerId)),
		places
	};
};

const one = v.object({ tunnel: oneId('Choose a tunnel.') });

export const actions: Actions = {
	plan: formAction(tunnelSchema, {
		act: planTunnel,
		said: ({ name }) =>
			`The tunnel ${name} is planned. Both its ends’ configurations change; send them when you are ready.`
	}),
	wanted: formAction(v.object({ pattern: oneId('Choose a pattern.') }), {
		act: ({ pattern }, actor) => planWantedTunnels(pattern, actor),
		said: ({ count }) =>
			`${counted(count, 'tunnel')} planned. Their ends’ configurations change; send them when you are ready.`
	}),
	renew: formAction(one, {
		act: ({ tunnel }, actor) => renewTunnelSecret(tunnel, actor),
		said: ({ name }) => `The tunnel ${name} has a new secret. It is up again when both its ends run it.`
	}),
	remove: formAction(one, {
		act: ({ tunnel }, actor) => removeTunnel(tunnel, actor),
		said: ({ name }) => `The tunnel ${name} is out of the plan. It ends when its ends are sent what is due.`
	})
};
