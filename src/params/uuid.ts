import type { ParamMatcher } from '@sveltejs/kit';

/** RFC 9562 section 4: read in either case. */
export const match: ParamMatcher = (param) => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(param);
