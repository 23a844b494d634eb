import { setTimeout as sleep } from 'node:timers/promises';
import type { Flash } from '../flash';

/**
 * How a unit takes a new configuration: into a candidate that everybody shares, then into use under a timer, after
 * which it goes back unless the change is kept. What was not kept is gone after a loss of power, too.
 */
export class Changes {
	candidate: string | null = null;
	#pending: {
		readonly before: string;
		readonly token: string | null;
		readonly ends: AbortController;
	} | null = null;

	constructor(
		private readonly flash: Flash,
		/** Why the unit would not take a configuration; null when it would. */
		private readonly problem: (text: string) => string | null,
		private readonly say: (words: string) => void,
		/** It runs another configuration from now on. */
		private readonly configured: () => void = () => undefined
	) {}

	get isPending(): boolean {
		return this.#pending !== null;
	}
	isPendingFor = (token: string | null): boolean => this.#pending?.token === token;

	/** Takes a text for the candidate; why not, or null. */
	load(text: string): string | null {
		const problem = this.problem(text);
		if (problem === null) this.candidate = text;
		return problem;
	}

	discard(): null {
		this.candidate = null;
		return null;
	}

	/** Puts the candidate to use for so many seconds. A second change while one waits is refused. */
	commit(seconds: number, token: string | null): string | null {
		if (this.#pending) return 'a change waits to be kept';
		if (this.candidate === null) return 'nothing was loaded';
		const pending = { before: this.flash.configuration ?? '', token, ends: new AbortController() };
		this.#pending = pending;
		this.flash.configuration = this.candidate;
		this.candidate = null;
		this.say(`new configuration in use for ${seconds} s`);
		this.configured();
		// The timer is the unit's own, and runs in real time: it was named in seconds
		sleep(seconds * 1000, undefined, { signal: pending.ends.signal, ref: false })
			.then(() => this.#goBack('not kept in time'))
			.catch(() => undefined);
		return null;
	}

	keep(): string | null {
		if (!this.#pending) return 'nothing waits to be kept';
		this.#pending.ends.abort();
		this.#pending = null;
		this.flash.saved = null;
		this.say('new configuration kept');
		return null;
	}

	back(): string | null {
		if (!this.#pending) return 'nothing waits to be kept';
		this.#goBack('told to');
		return null;
	}

	powerLost(): void {
		this.candidate = null;
		if (this.#pending) this.#goBack('lost its power');
	}

	#goBack(why: string): void {
		if (!this.#pending) return;
		this.#pending.ends.abort();
		this.flash.configuration = this.#pending.before;
		this.#pending = null;
		this.say(`gone back to its configuration from before: ${why}`);
	}
}
