import { NO_RULES, parseConfig } from '../../src/core/config';
import { findingsBetween } from '../../src/core/drift';
import { packed, WHOLE_EVERY } from '../../src/lib/server/archive/packing';
import { database } from '../../src/lib/server/database';
import { countAllGroups, driftCounts, findingGroups } from '../../src/lib/server/drift';
import { asOwner, customerWithRuns, median, type Figure } from '../world';

const READINGS = 1_000;
const LINES = 300;
/** One of so many readings differs, in one line. */
const DIFFERS = 10;
const MOST_COMPARING = 1.3;
const VERSIONS = 2_000;
/** So many lines of each version are others than in the one before. */
const CHANGED = 15;
const MOST_SHARE = 0.1;
const [FEW, MANY, GROUPS] = [200, 20_000, 500];
const MOST_PAGE = 1.5;
const TIMES = 7;

let seed = 1;
const chance = (below: number): number => (seed = (seed * 48_271) % 2_147_483_647) % below;
const line = () =>
	`  statement-${chance(400)} 10.${chance(255)}.${chance(255)}.${chance(255)} note ${chance(1e6).toString(36)}`;
const text = (lines: readonly string[]): string => `port lan0\n${lines.join('\n')}\n`;

/** Readings held against what is intended, beside reading both texts alone; a tenth of them differs. */
function comparing(): Figure {
	const lines = Array.from({ length: LINES }, line);
	const intended = text(lines);
	const readings = Array.from({ length: READINGS }, (_, index) =>
		index % DIFFERS === 0 ? text(lines.with(chance(LINES), line())) : intended
	);
	const place = { grammar: null, names: {}, own: {}, particular: [], secrets: { values: [], leads: [] } };
	const timed = (work: (running: string) => void) => {
		const start = performance.now();
		readings.forEach(work);
		return performance.now() - start;
	};
	const [parsing, compared]: [number[], number[]] = [[], []];
	for (let turn = 0; turn < TIMES; turn++) {
		parsing.push(timed((running) => [intended, running].forEach((one) => parseConfig(one, 'indented'))));
		compared.push(
			timed(
				(running) => void findingsBetween({ intended, running, dialect: 'indented', rules: NO_RULES }, place)
			)
		);
	}
	const [base, own] = [median(parsing), median(compared)];
	return {
		name: `Holding ${READINGS} readings of ${LINES} lines against what is intended, one in ${DIFFERS} differs, beside reading both`,
		measured: `${own.toFixed(0)} ms`,
		baseline: `${base.toFixed(0)} ms`,
		result: `${(own / base).toFixed(2)} ×`,
		wanted: `at most ${MOST_COMPARING} ×`,
		held: own / base <= MOST_COMPARING
	};
}

/** How large a version is that differs from the one before in one of twenty lines, beside its plain text. */
function archived(): Figure {
	let lines = Array.from({ length: LINES }, line);
	let [plain, kept] = [0, 0];
	for (let version = 1; version <= VERSIONS; version++) {
		const next = [...lines];
		for (let changed = 0; changed < CHANGED; changed++) next[chance(LINES)] = line();
		plain += Buffer.byteLength(text(lines));
		kept += packed(text(lines), version % WHOLE_EVERY === 0 ? null : text(next)).length;
		lines = next;
	}
	return {
		name: `A version in the archive that differs in ${CHANGED} of ${LINES} lines, of ${VERSIONS}, without its row`,
		measured: `${(kept / VERSIONS).toFixed(0)} octets`,
		baseline: `${(plain / VERSIONS).toFixed(0)} octets`,
		result: `${((100 * kept) / plain).toFixed(1)} %`,
		wanted: `under ${MOST_SHARE * 100} %`,
		held: kept / plain < MOST_SHARE
	};
}

/** What the drift page reads: over many findings, beside few. */
async function page(): Promise<Figure> {
	const customerId = (await customerWithRuns('Drifted', 400)).customerId;
	const look = async (): Promise<number> => {
		await asOwner('analyze finding');
		const took: number[] = [];
		for (let turn = 0; turn < TIMES; turn++) {
			const start = performance.now();
			await Promise.all([findingGroups([customerId]), driftCounts([customerId])]);
			took.push(performance.now() - start);
		}
		return median(took);
	};
	const find = (count: number) =>
		database().raw(
			`insert into finding (id, unit_id, customer_id, position_id, key, same, kind, path, should, runs, touches, dialect, since, found_at)
			select gen_random_uuid(), b.unit_id, b.customer_id, b.position_id, sha256(convert_to(cast(n as text), 'UTF8')), sha256(convert_to(cast(n % :groups as text), 'UTF8')), 'extra', '{}', null,
				'statement ' || n % :groups, 'nothing of these', 'braced', now() - make_interval(secs => n), now()
			from generate_series(1, :count) n
			join (select *, row_number() over (order by unit_id) - 1 as at from binding where customer_id = :customer) b on b.at = n % 400
			on conflict do nothing`,
			{ count, groups: GROUPS, customer: customerId }
		);
	await find(FEW);
	await countAllGroups();
	const few = await look();
	await find(MANY);
	await countAllGroups();
	const many = await look();
	return {
		name: `What the drift page reads, over ${MANY} findings in ${GROUPS} groups, beside ${FEW}`,
		measured: `${many.toFixed(1)} ms`,
		baseline: `${few.toFixed(1)} ms`,
		result: `${(many / few).toFixed(2)} ×`,
		wanted: `at most ${MOST_PAGE} ×`,
		held: many / few <= MOST_PAGE
	};
}

/** What runs, kept and held against the plan. */
export const benchUpkeep = async (): Promise<Figure[]> => [comparing(), archived(), await page()];
