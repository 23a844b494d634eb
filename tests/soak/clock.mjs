// Loaded into a process before anything else: its clock is off by the milliseconds that stand in a file, and jumps when they change.
import { readFileSync } from 'node:fs';

const Real = globalThis.Date;
let off = 0;
const look = () => {
	try {
		off = Number(readFileSync(process.env.SOAK_CLOCK, 'utf8')) || 0;
	} catch {
		// It is right until something else is said
	}
};
look();
setInterval(look, 100).unref();

globalThis.Date = class Date extends Real {
	constructor(...given) {
		if (given.length === 0) super(Real.now() + off);
		else super(...given);
	}
	static now() {
		return Real.now() + off;
	}
	static [Symbol.hasInstance](one) {
		return one instanceof Real;
	}
};
