import { NO_RULES } from '../../../core/config';
import { findingsBetween, TOUCHES, type Touches } from '../../../core/drift';
import { hangingOn } from '../../../core/plan';
import { placeAt } from '../drift';
import { cablingOf } from '../plan';
import type { RenderingSource } from '../profile';

/** What a send does beside changing lines. */
export interface Interrupts {
	/** What of the unit it changes, the gravest first. */
	readonly touches: readonly Touches[];
	/** Names of the positions that hang on it: what is away while it is. */
	readonly behind: readonly string[];
	/** Ports of its model that it says nothing of, as they are printed. */
	readonly silentPorts: readonly string[];
}

/** What bringing a unit from one text to another interrupts and leaves out. */
export async function interruptsOf(
	source: RenderingSource,
	two: { readonly intended: string; readonly running: string }
): Promise<Interrupts> {
	const { dialect, rules, ports } = source.model!;
	const [place, cabling] = await Promise.all([
		placeAt(source),
		cablingOf([source.siteId]).then((all) => all.get(source.siteId))
	]);
	const looked = findingsBetween({ ...two, dialect, rules: { ...NO_RULES, ...rules } }, place);
	const touched = new Set(looked.ok ? looked.findings.map(({ touches }) => touches) : []);
	const behind = hangingOn(cabling?.cables ?? [], source.positionId);
	const words = new Set(two.intended.split(/[^A-Za-z0-9/._:-]+/));
	return {
		touches: TOUCHES.filter((one) => one !== 'nothing of these' && touched.has(one)),
		behind: (cabling?.positions ?? []).filter(({ id }) => behind.has(id)).map(({ name }) => name),
		silentPorts: [...new Set(Object.values(ports))].filter((port) => !words.has(port))
	};
}
