import * as v from 'valibot';
import { done, refuse } from '$lib/server/act';
import { database, runAs, SIGN_IN } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { CLEAN_UPS, taskCounts, troubledJobs, tryJobAgain } from '$lib/server/jobs';
import { lostLetters, sendAgain } from '$lib/server/mail';
import { demand } from '$lib/server/people';
import { roomAt } from '$lib/server/room';
import { currentSettings } from '$lib/server/settings';
import { webhooks } from '$lib/server/webhooks';
import type { Actions, PageServerLoad } from './$types';

const MOST_TROUBLED = 50;
const NOT_YOURS = 'Only an administrator may do this.';

/** How Limen itself runs: for administrators. */
export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'manage people');
	const [tasks, troubled, letters, hooks, processes] = await Promise.all([
		taskCounts(),
		troubledJobs(MOST_TROUBLED),
		runAs(SIGN_IN, lostLetters),
		webhooks(),
		database()('process')
			.whereNull('ended_at')
			.orderBy('started_at')
			.select('id', 'name', 'started_at as startedAt', 'heartbeat_at as heartbeatAt')
	]);
	return {
		tasks,
		troubled,
		letters,
		unheard: hooks.filter(({ failures }) => failures > 0),
		processes,
		room: roomAt(currentSettings().LIMEN_STATE_DIR),
		cleanUps: CLEAN_UPS.map(({ what, why }) => ({ what, why }))
	};
};

const oneOf = (name: string) =>
	v.object({
		[name]: v.pipe(v.string('Nothing was named.'), v.regex(/^\d{1,18}$/, 'There is no such thing.'))
	});

export const actions: Actions = {
	job: formAction(oneOf('job'), {
		of: 'manage people',
		act: async ({ job }, actor) =>
			!actor.may('manage people', null)
				? refuse(NOT_YOURS)
				: (await tryJobAgain(job!))
					? done(undefined)
					: refuse('This job is done, or gone.'),
		said: 'It is tried again now.'
	}),
	letter: formAction(oneOf('letter'), {
		of: 'manage people',
		act: async ({ letter }, actor) => {
			if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
			await runAs(SIGN_IN, () => sendAgain(letter!));
			return done(undefined);
		},
		said: 'It is sent again now.'
	})
};
