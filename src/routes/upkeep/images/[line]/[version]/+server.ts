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

const BASE64 = /^[A-Za-z0-9+/]{1,1400}={0,2}$/;

/**
 * Takes a firmware image in: its bytes are the body, its file's name is in the query, its signature, where it has one, in the
 * header `Image-Signature`, as base64 (RFC 4648). Nothing of it is read
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
	const given = event.request.headers.get('image-signature');
	if (given !== null && !BASE64.test(given)) error(400, 'Image-Signature is base64.');
	const signature = given === null ? null : Buffer.from(given, 'base64');
	const act = await uploadImage(
		{ firmwareLine: line, version, fileName, content, signature },
		actorOf(event)
	);
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
