/** What a browser keeps while somebody is at the firm's provider: sealed, for a few minutes. */
export const FIRM_COOKIE = 'limen_firm';
export const FIRM_COOKIE_OPTIONS = {
	path: '/sign-in/firm',
	httpOnly: true,
	// They come back from another site
	sameSite: 'lax',
	maxAge: 600
} as const;
