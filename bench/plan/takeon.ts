import { parseConfig } from '../../src/core/config';
import { learn, type LearntFrom } from '../../src/core/takeon';
import type { Figure } from '../world';

const LINES = 500;
const [USUAL, MANY] = [200, 1_000];
const MOST_MS = 5_000;
const MOST_GROWTH = 1.3;
/** A block has so many lines, of which one differs from unit to unit. */
const BLOCK = 5;

function textOf(unit: number): string {
	const lines = [`hostname site${unit}-gw`, `location "Site ${unit}"`];
	for (let port = 0; lines.length < LINES; port++)
		lines.push(
			`port lan${port}`,
			`  label "room ${port}"`,
			`  own-address 10.${port % 250}.${unit % 250}.1/24`,
			port % 10 === 0 && unit % 3 === 0 ? '  keep-apart' : '  tag 30',
			`  hand-out ${port} of ${BLOCK}`
		);
	return `${lines.slice(0, LINES).join('\n')}\n`;
}

/** Learning a profile from many units and proving each of them, beside reading their texts alone. */
export function benchTakeOn(): Figure[] {
	const timed = (units: readonly LearntFrom[], work: () => unknown) => {
		const start = performance.now();
		work();
		return (performance.now() - start) / units.length;
	};
	const [usual, many] = [USUAL, MANY].map((count) => {
		const units = Array.from({ length: count }, (_, unit) => ({ id: `u${unit}`, text: textOf(unit) }));
		const reading = timed(units, () => units.forEach(({ text }) => parseConfig(text, 'indented')));
		let proved = 0;
		const learning = timed(units, () => {
			proved = learn({ dialect: 'indented', units }).proofs.filter(({ holds }) => holds).length;
		});
		if (proved !== count) throw new Error(`${proved} of ${count} proofs hold.`);
		return { reading, learning };
	}) as [Times, Times];
	const whole = usual.learning * USUAL;
	const growth = many.learning / usual.learning;
	return [
		{
			name: `Learning from ${USUAL} units of ${LINES} lines, one in ${BLOCK} of which is each unit’s own, and proving each`,
			measured: `${whole.toFixed(0)} ms`,
			baseline: `${(usual.reading * USUAL).toFixed(0)} ms (reading their texts)`,
			result: `${(usual.learning / usual.reading).toFixed(1)} ×`,
			wanted: `under ${MOST_MS} ms`,
			held: whole < MOST_MS
		},
		{
			name: `The same for each of ${MANY} units`,
			measured: `${many.learning.toFixed(1)} ms a unit`,
			baseline: `${usual.learning.toFixed(1)} ms a unit, of ${USUAL}`,
			result: `${growth.toFixed(2)} ×`,
			wanted: `at most ${MOST_GROWTH} ×`,
			held: growth <= MOST_GROWTH
		}
	];
}
interface Times {
	readonly reading: number;
	readonly learning: number;
}
