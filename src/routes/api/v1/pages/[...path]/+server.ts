import { showPage } from '../../interface';
import type { RequestHandler } from './$types';

/** What a page shows to the person whose token it is; or a file that it offers. */
export const GET: RequestHandler = showPage;
