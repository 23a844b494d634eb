import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { allImages, firmwareLines, LARGEST_IMAGE_BYTES, uploadImage } from '$lib/server/firmware';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see images');
	depends('limen:live');
	const [images, lines] = await Promise.all([allImages(), firmwareLines()]);
	return {
		lines,
		images: images.map(({ sha256, ...image }) => ({ ...image, sha256: sha256.toString('hex') }))
	};
};

const formSchema = v.object({
	line: v.pipe(v.string(), v.minLength(1)),
	version: v.pipe(v.string(), v.trim(), v.minLength(1, 'Which version is it?')),
	file: v.instance(File, 'Choose the file.')
});

export const actions: Actions = {
	upload: async (event) => {
		if (Number(event.request.headers.get('content-length')) > LARGEST_IMAGE_BYTES + 64 * 1024)
			return fail(413, { problem: 'The file is larger than 512 MB.' });
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { line, version, file } = parsed.output;
		const act = await uploadImage(
			{ firmwareLine: line, version, fileName: file.name, content: file.stream() },
			actorOf(event)
		);
		return act.ok ? { said: `${line} ${version} is here.` } : fail(400, { problem: act.problem });
	}
};
