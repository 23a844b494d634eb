import type { Knex } from 'knex';
import { counted, momentOf } from '../../../core/text';
import { isOpenAt } from '../../../core/windows';
import { done, refuse, type Act } from '../act';
import { database, timeNow } from '../database';
import { windowNow, windowsAt, type WindowNow } from './store';

/** What somebody says who does something disruptive. */
export interface Allowing {
	/** Why it is done: enough where no window is open. */
	readonly reason: string | null;
	/** The site's contact was asked. */
	readonly asked: boolean;
}

/**
 * Whether something disruptive may begin at a site now: inside a window, or for a reason; where the contact is asked
 * first, after that. What the ledger says of it comes back: nothing, inside a window.
 */
export async function mayBeDisrupted(
	trx: Knex,
	siteId: string,
	{ reason, asked }: Allowing
): Promise<Act<string>> {
	const now = await windowNow(siteId, timeNow(), trx);
	if (!now.isOpen && !reason) return refuse(`${closedWords(now)} Say why it is done now, or wait for it.`);
	if (now.window.asksFirst && !asked)
		return refuse(`${now.contact || 'The contact of this site'} is asked first. Say that it was done.`);
	return done(
		`${now.isOpen ? '' : ' Outside its windows.'}${now.window.asksFirst ? ` ${now.contact || 'Its contact'} was asked.` : ''}`
	);
}

/** What is told before something disruptive is done at a site: whether a window is open, and who is asked first. */
export async function disruptionAt(
	siteId: string
): Promise<{ readonly words: string; readonly whom: string | null }> {
	const now = await windowNow(siteId, timeNow());
	return {
		words: now.isOpen ? '' : ` ${closedWords(now)}`,
		whom: now.window.asksFirst ? now.contact || 'The contact of this site' : null
	};
}

/** The same for many sites at one go: those whose window is closed are left out. */
export async function disruptionAtMany(
	siteIds: readonly string[]
): Promise<{ readonly words: string; readonly whom: string | null }> {
	const windows = [...(await windowsAt(database(), siteIds)).values()];
	const closed = windows.filter((window) => !isOpenAt(window, timeNow())).length;
	const asking = windows.filter(({ asksFirst }) => asksFirst).length;
	return {
		words: closed === 0 ? '' : ` No window is open at ${counted(closed, 'site')}: nothing is done there now.`,
		whom: asking === 0 ? null : asking === 1 ? 'The contact of one site' : `Each contact of ${asking} sites`
	};
}

/** In a sentence, that it is closed and when the next one is. */
export const closedWords = ({ next, window }: Pick<WindowNow, 'next' | 'window'>): string =>
	next
		? `No window is open at this site; the next begins ${momentOf(next.from, window.zone)}, its time.`
		: 'No window is open at this site, and none is to come.';
