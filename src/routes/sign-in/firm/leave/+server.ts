import { redirect } from '@sveltejs/kit';
import { firmSignOut } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Sends somebody who has signed out here to where the firm's identity provider lets them sign out as well. */
export const GET: RequestHandler = async () => redirect(303, (await firmSignOut()) ?? '/sign-in?firm=away');
