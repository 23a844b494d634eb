import { error, redirect } from '@sveltejs/kit';
import { readPositionCard } from '$core/plan';
import { siteOfPosition } from '$lib/server/plan';
import type { RequestHandler } from './$types';

/** Where the code on a position's card leads: to the position at its site. */
export const GET: RequestHandler = async ({ params }) => {
	const positionId = readPositionCard(`/at/${params.card}`);
	const siteId = positionId && (await siteOfPosition(positionId));
	if (!siteId) error(404, 'There is no such position any more.');
	redirect(303, `/sites/${siteId}?position=${positionId}`);
};
