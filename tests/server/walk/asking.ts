import { post, type TestPerson } from '../making';
import type { Ids } from '../things';

/** How somebody asks for a route: by these ids, as this person, or with a program's token. */
export type Ask = (ids: Ids, as: TestPerson, token: string) => Promise<Response>;
/** By method and route. */
export type Asks = Readonly<Record<string, Ask>>;

export const form =
	(path: string, fields: Record<string, string>): Ask =>
	(_ids, as) =>
		post(path, fields, {}, as);

export const TOMORROW = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
