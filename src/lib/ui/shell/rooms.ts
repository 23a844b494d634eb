/** The rooms, in the order of work; `g` and the key go there. */
export const ROOMS = [
	{ name: 'Today', href: '/', key: 't', phone: true },
	{ name: 'Intake', href: '/intake', key: 'i', phone: false },
	{ name: 'Sites', href: '/sites', key: 's', phone: false },
	{ name: 'Profiles', href: '/profiles', key: 'p', phone: false },
	{ name: 'Arrivals', href: '/arrivals', key: 'a', phone: true },
	{ name: 'Upkeep', href: '/upkeep', key: 'u', phone: false },
	{ name: 'Records', href: '/records', key: 'r', phone: false }
] as const;

export const isIn = (path: string, href: string): boolean =>
	href === '/' ? path === '/' : path === href || path.startsWith(`${href}/`);
