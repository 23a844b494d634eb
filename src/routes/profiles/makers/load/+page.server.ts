import * as v from 'valibot';
import { ASK_KINDS, LARGEST_PACK } from '$core/pack';
import { counted } from '$core/text';
import { formAction } from '$lib/server/forms';
import { loadPack, tryPackOut } from '$lib/server/packs';
import { demand } from '$lib/server/people';
import { tryText } from '$lib/server/proof';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = ({ locals }) => {
	demand(locals, 'edit profiles');
};

const pack = v.pipe(
	v.string('Choose a file, or paste the pack.'),
	v.minLength(1, 'Choose a file, or paste the pack.'),
	v.maxLength(LARGEST_PACK, 'A pack has at most 2 MB.')
);
const MOST_PRINTED = 512 * 1024;

export const actions: Actions = {
	compare: formAction(v.object({ pack }), {
		of: 'edit profiles',
		act: ({ pack: text }, actor) => tryPackOut(text, actor),
		said: (compared) => ({ said: '', compared }),
		refused: (refusal) => ({ faults: 'problems' in refusal ? refusal.problems : undefined })
	}),
	load: formAction(v.object({ pack }), {
		of: 'edit profiles',
		act: ({ pack: text }, actor) => loadPack(text, actor),
		goes: ({ pack: { maker } }) => `/profiles/makers/${maker.id}`
	}),
	try: formAction(
		v.object({
			pack,
			model: v.pipe(v.string('Choose the model.'), v.maxLength(60)),
			ask: v.picklist(ASK_KINDS, 'Choose what was asked.'),
			printed: v.pipe(
				v.string('Paste what the device printed.'),
				v.minLength(1, 'Paste what the device printed.'),
				v.maxLength(MOST_PRINTED, `At most ${counted(MOST_PRINTED, 'character')}.`)
			)
		}),
		{
			of: 'edit profiles',
			act: ({ pack: text, model, ask, printed }) => tryText(text, model, ask, printed.replace(/\r\n/g, '\n')),
			said: (trial) => ({ said: '', trial })
		}
	)
};
