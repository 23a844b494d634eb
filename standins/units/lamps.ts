/** What the lights of each maker's units show, as its manual has it. */
const LAMPS = {
	okapira: {
		off: 'No light at all',
		power: 'One bar lit',
		seeking: 'Two bars, the upper one blinks',
		'cut off': 'Only the lowest bar blinks',
		loading: 'Bars climb up',
		working: 'All four bars lit'
	},
	veltrane: {
		off: 'No light at all',
		power: 'Ring lit, still',
		seeking: 'Ring turns slowly',
		'cut off': 'Ring blinks twice, again and again',
		loading: 'Ring turns fast',
		working: 'Ring and door lamp lit, still'
	},
	lumenfold: {
		off: 'No light at all',
		power: 'Dim glow',
		seeking: 'Glow comes and goes',
		'cut off': 'Glow comes and goes',
		loading: 'Glow flickers',
		working: 'Bright glow, still'
	},
	brackwater: {
		off: 'No light at all',
		power: 'Blue, still, dim',
		seeking: 'Blue, blinking slowly',
		'cut off': 'Yellow, still',
		loading: 'Blue, blinking fast',
		working: 'Blue, still'
	}
} as const;
export type Lamp = keyof (typeof LAMPS)['okapira'];

export const lampOf = (maker: string, lamp: Lamp): string => LAMPS[maker as keyof typeof LAMPS][lamp];
