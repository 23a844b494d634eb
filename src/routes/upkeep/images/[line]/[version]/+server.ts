import { Readable } from 'node:stream';
import { error, json } from '@sveltejs/kit';
import {
	findImage,
	imageResponse,
	LARGEST_IMAGE_BYTES,
	uploadImage,
	VERSION_FORM
} from '$lib/server/firmware';
import { actorOf, demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/**
 * Takes a firmware image in: its bytes are the body, its file's name is in the query. Nothing of it is read
 * before it is known that whoever sends it may.
 */
export const PUT: RequestHandler = async (event) => {
	demand(event.locals, 'upload image');
	const length = Number(event.request.headers.get('content-length') ?? 0);
	if (length > LARGEST_IMAGE_BYTES) error(413, 'The file is larger than 512 MB. Nothing was kept.');
	// The server's own stream: SvelteKit's would count it as a form (command/serve)
	const incoming = event.platform?.req;
	const content = incoming ?? (event.request.body && Readable.fromWeb(event.request.body as never));
	if (!content) error(400, 'The file is empty.');
	const { line, version } = event.params;
	const fileName = event.url.searchParams.get('name') ?? `${line}-${version}.bin`;
	const act = await uploadImage({ firmwareLine: line, version, fileName, content }, actorOf(event));
	return act.ok
		? json({ said: `${line} ${version} is here.` }, { status: 201 })
		: json({ problem: act.problem }, { status: 409 });
};

/** The image for a person, whole or a range of it. */
export const GET: RequestHandler = async ({ locals, params: { line, version }, request }) => {
	demand(locals, 'see images');
	const image = VERSION_FORM.test(version) ? await findImage(line, version) : undefined;
	if (!image) error(404, 'There is no such image.');
	const response = await imageResponse(image, request, null);
	if (!response) error(404, 'The file of this image is missing; upload it again.');
	response.headers.set(
		'content-disposition',
		`attachment; filename*=UTF-8''${encodeURIComponent(image.fileName)}`
	);
	return response;
};
