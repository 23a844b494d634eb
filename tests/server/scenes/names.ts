import { unwalled } from '../making';
import type { Ids } from '../things';

/** What the customer is called whose things these are. */
export const nameOf = async ({ customer }: Ids): Promise<string> =>
	(await unwalled()('customer').where({ id: customer }).first('name')).name;
