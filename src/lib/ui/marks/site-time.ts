/** A moment as it is at a site, in its own time zone: `Wed, 25 Nov, 09:30 am`. */
export const siteTime = (at: Date | number, timeZone: string): string =>
	new Date(at).toLocaleString('en-NZ', {
		timeZone,
		weekday: 'short',
		day: 'numeric',
		month: 'short',
		hour: '2-digit',
		minute: '2-digit'
	});

/** The same where the day is near: `Wed, 09:30 am`. */
export const siteDayTime = (at: Date | number, timeZone: string): string =>
	new Date(at).toLocaleString('en-NZ', { timeZone, weekday: 'short', hour: '2-digit', minute: '2-digit' });

/** Only the time of day: `09:30 am`. */
export const siteHour = (at: Date | number, timeZone: string): string =>
	new Date(at).toLocaleTimeString('en-NZ', { timeZone, hour: '2-digit', minute: '2-digit' });
