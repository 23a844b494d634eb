import { page } from '$app/state';
import { may, type PersonAct } from '$core/people';

/** Whether the person at the screen may do an act: what they may not is not offered. */
export const mayDo = (act: PersonAct, customerId: string | null = null): boolean =>
	page.data.person ? may(page.data.person, act, customerId) : false;
