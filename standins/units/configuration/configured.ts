import { NotUnderstood, type Statement } from './configuration';
import type { Fault, Flash } from '../flash';
import { firstRejected, grammarOf, withoutWord } from './grammar';
import type { Account, Home, Maker } from '../makers';
import { firstSenseless } from './sense';
import type { Label } from '../self';
import { wiringOf, type Wiring } from './wiring';

/** What a unit's configuration says, as its firmware understands it; of one that it does not understand, nothing. */
export class Configured {
	private wiredFrom: string | null = null;
	private wired: Wiring | null = null;

	constructor(
		private readonly label: Label,
		private readonly flash: Flash,
		private readonly maker: Maker,
		private readonly faults: ReadonlySet<Fault>
	) {}

	/** What it makes of the unit in its network. */
	get wiring(): Wiring | null {
		const { configuration } = this.flash;
		if (this.wiredFrom !== configuration) {
			this.wiredFrom = configuration;
			this.wired = understood(() => wiringOf(this.label.maker, configuration));
		}
		return this.wired;
	}
	/** Whom it dials. */
	get home(): Home | null {
		const { statements } = this;
		return statements && this.maker.home(statements);
	}
	get accounts(): readonly Account[] {
		const { statements } = this;
		return statements ? this.maker.accounts(statements) : [];
	}
	/** What it calls itself, and to whom it says what happens to it. */
	get logging(): Partial<ReturnType<Maker['logging']>> {
		const { statements } = this;
		return statements ? this.maker.logging(statements) : {};
	}
	private get statements(): Statement[] | null {
		return understood(() => this.maker.format.read(this.flash.configuration ?? ''));
	}

	/** What its firmware does not understand of another one, and where. */
	problemOf(text: string): { readonly line: number; readonly message: string } | null {
		const grammar = grammarOf(this.label.maker, this.flash.version);
		const known = this.faults.has('rejected-line') ? withoutWord(grammar, this.maker.newWord) : grammar;
		try {
			return (
				firstRejected(this.maker.format.read(text), known) ??
				firstSenseless(wiringOf(this.label.maker, text)!)
			);
		} catch (error) {
			if (error instanceof NotUnderstood) return error;
			throw error;
		}
	}
}

function understood<Read>(read: () => Read): Read | null {
	try {
		return read();
	} catch (error) {
		if (error instanceof NotUnderstood) return null;
		throw error;
	}
}
