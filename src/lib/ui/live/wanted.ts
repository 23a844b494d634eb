import { navigating, page } from '$app/state';

/** What the address of this page asks for, as somebody wants it by now: a way that is still being taken counts before what is shown. */
export function wantedQuery(): URLSearchParams {
	const to = navigating.to?.url;
	return new URLSearchParams((to?.pathname === page.url.pathname ? to : page.url).searchParams);
}
