import type { PersonAct } from '$core/people';

/** The rooms, in the order of work; `g` and the key go there. Who may not do what a room is for does not see it. */
export const ROOMS = [
	{ name: 'Today', href: '/', key: 't', phone: true, needs: 'see' },
	{ name: 'Intake', href: '/intake', key: 'i', phone: false, needs: 'claim' },
	{ name: 'Sites', href: '/sites', key: 's', phone: false, needs: 'see' },
	{ name: 'Profiles', href: '/profiles', key: 'p', phone: false, needs: 'see profiles' },
	{ name: 'Arrivals', href: '/arrivals', key: 'a', phone: true, needs: 'see' },
	{ name: 'Upkeep', href: '/upkeep', key: 'u', phone: false, needs: 'see images' },
	{ name: 'Records', href: '/records', key: 'r', phone: false, needs: 'see records' }
] as const satisfies readonly { needs: PersonAct; [key: string]: unknown }[];

export type Room = (typeof ROOMS)[number];

export const isIn = (path: string, href: string): boolean =>
	href === '/' ? path === '/' : path === href || path.startsWith(`${href}/`);
