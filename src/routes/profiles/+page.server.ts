import { allProfiles } from '$lib/server/profile';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({ profiles: await allProfiles() });
