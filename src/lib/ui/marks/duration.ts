/** A length of time in seconds; what is short is told to the tenth. */
export const lasting = (seconds: number): string =>
	seconds < 10 ? `${seconds.toFixed(1)} s` : duration(seconds * 1000);

/** A length of time in milliseconds, in two units at most: `4 min 20 s`. */
export function duration(milliseconds: number): string {
	const seconds = Math.max(0, Math.floor(milliseconds / 1000));
	if (seconds < 60) return `${seconds} s`;
	const minutes = Math.floor(seconds / 60);
	if (minutes < 60)
		return seconds % 60 === 0 || minutes >= 10 ? `${minutes} min` : `${minutes} min ${seconds % 60} s`;
	const hours = Math.floor(minutes / 60);
	return hours < 48 ? `${hours} h ${minutes % 60} min` : `${Math.floor(hours / 24)} days`;
}
