/**
 * A short phrase that two people compare aloud to be sure that both mean the same unit at the same
 * position. It is no secret: it catches what was misheard, misread or mistyped.
 */
const QUALITIES = [
	'amber', 'ancient', 'bitter', 'brave', 'bright', 'broken', 'calm', 'clever', 'cold', 'copper', 'curly', 'distant',
	'double', 'dusty', 'early', 'empty', 'faithful', 'famous', 'floating', 'frozen', 'gentle', 'giant', 'golden', 'happy',
	'heavy', 'hidden', 'hollow', 'honest', 'hungry', 'icy', 'jolly', 'lazy', 'little', 'lonely', 'loud', 'lucky',
	'mellow', 'modern', 'muddy', 'narrow', 'nimble', 'northern', 'orange', 'patient', 'polite', 'purple', 'quiet', 'rapid',
	'rusty', 'salty', 'secret', 'shallow', 'silver', 'simple', 'sleepy', 'smooth', 'southern', 'spotted', 'stormy', 'sudden',
	'tiny', 'velvet', 'wooden', 'yellow'
] as const; // prettier-ignore
const THINGS = [
	'anchor', 'apple', 'arrow', 'basket', 'beacon', 'bottle', 'bridge', 'bucket', 'button', 'candle', 'carpet', 'castle',
	'cherry', 'circus', 'cloud', 'compass', 'cradle', 'desert', 'dolphin', 'donkey', 'engine', 'falcon', 'feather', 'ferry',
	'fiddle', 'forest', 'garden', 'ginger', 'hammer', 'harbour', 'heron', 'island', 'jacket', 'kettle', 'ladder', 'lantern',
	'lemon', 'magnet', 'marble', 'meadow', 'mirror', 'mountain', 'needle', 'octopus', 'otter', 'paddle', 'parrot', 'pebble',
	'pencil', 'pigeon', 'pillow', 'planet', 'pocket', 'rabbit', 'river', 'saddle', 'shovel', 'spider', 'table', 'ticket',
	'tunnel', 'umbrella', 'violin', 'window'
] as const; // prettier-ignore
const NUMBERS = 90;

/**
 * The phrase for a unit at a position: “copper heron 42”. Laws: it depends on the two alone; one other
 * character in either gives another phrase, but for one case in some hundred thousand.
 */
export function checkPhrase(serial: string, positionId: string): string {
	let left = hashOf(`${serial}@${positionId}`);
	const next = (size: number) => {
		const chosen = left % size;
		left = Math.floor(left / size);
		return chosen;
	};
	// From 10 on: spoken as one number, whoever says it
	return `${QUALITIES[next(QUALITIES.length)]!} ${THINGS[next(THINGS.length)]!} ${next(NUMBERS) + 10}`;
}

/** FNV-1a over UTF-16 units, then mixed so that every bit of the input moves every bit of the result. 32 bits. */
function hashOf(text: string): number {
	let hash = 0x811c9dc5;
	for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
	hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
	hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
	return (hash ^ (hash >>> 16)) >>> 0;
}
