import { readFileSync, writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import { closeDatabase, migrate } from '../command/cluster';
import { loadImages, loadPlan } from '../command/demo';
import { say } from '../command/problem';
import { actAlwaysAs, SETUP } from '../src/lib/server/database';
import { currentSettings } from '../src/lib/server/settings';
import { benchAlerts } from './plan/alerts';
import { benchApi } from './people/api';
import { benchAttacks } from './people/attacks';
import { benchIntake, benchRendering } from './plan/computing';
import { benchAllotment, benchImpact, benchSheet } from './plan/profiles';
import { benchConnections, benchEnqueue } from './units/connections';
import { benchComeback } from './units/comeback';
import { benchConnectors } from './plan/connectors';
import { benchExport } from './people/export';
import { benchFleet } from './units/fleet';
import { benchHealth } from './units/health';
import { benchFirstView } from './people/first-view';
import { benchNight } from './units/night';
import { benchPacks } from './plan/packs';
import { benchProcesses } from './people/processes';
import { benchProof } from './people/proof';
import { benchProving } from './units/proving';
import { benchProvider } from './provider';
import { benchReports } from './people/reports';
import { benchRollouts } from './units/rollouts';
import { benchScreen } from './people/screen';
import { benchStorm } from './units/storm';
import { benchUpkeep } from './units/upkeep';
import { benchFind, benchLists, benchPhotos, benchVolume } from './people/volume';
import { benchTakeOn } from './plan/takeon';
import { benchSurvey } from './units/survey';
import { benchWalls } from './people/walls';
import { benchWatch } from './units/watch';
import type { Figure } from './world';

const BENCHMARKS = {
	rendering: benchRendering,
	packs: benchPacks,
	allotment: benchAllotment,
	intake: benchIntake,
	storm: benchStorm,
	connections: benchConnections,
	comeback: benchComeback,
	night: benchNight,
	enqueue: benchEnqueue,
	proof: benchProof,
	proving: benchProving,
	watch: benchWatch,
	upkeep: benchUpkeep,
	rollouts: benchRollouts,
	fleet: benchFleet,
	health: benchHealth,
	reports: benchReports,
	connectors: benchConnectors,
	export: benchExport,
	api: benchApi,
	processes: benchProcesses,
	provider: benchProvider,
	alerts: benchAlerts,
	takeon: benchTakeOn,
	survey: benchSurvey,
	screen: benchScreen,
	'first-view': benchFirstView,
	walls: benchWalls,
	sheet: benchSheet,
	impact: benchImpact,
	volume: benchVolume,
	find: benchFind,
	lists: benchLists,
	photos: benchPhotos,
	attacks: benchAttacks
};

/** Runs benchmarks against their baselines and prints the figures; those of a whole run are kept. Whether all held. */
export async function runAll(names: readonly string[]): Promise<boolean> {
	const unknown = names.find((name) => !Object.hasOwn(BENCHMARKS, name));
	if (unknown) {
		say(`There is no benchmark “${unknown}”. There are: ${Object.keys(BENCHMARKS).join(', ')}.`);
		return false;
	}
	await migrate(currentSettings());
	actAlwaysAs(SETUP);
	await loadPlan();
	await loadImages();
	const figures: Figure[] = [];
	for (const [name, one] of Object.entries(BENCHMARKS)) {
		if (names.length > 0 && !names.includes(name)) continue;
		const found = await measured(name, one);
		for (const figure of found)
			say(
				`${figure.held ? 'held  ' : 'MISSED'}  ${figure.name}: ${figure.measured}${figure.baseline && ` against ${figure.baseline}`}: ${figure.result} (${figure.wanted})`
			);
		figures.push(...found);
	}
	if (names.length === 0) writeFileSync(PAGE, page(figures) + explained());
	await closeDatabase();
	return figures.every(({ held }) => held);
}

/** What could not be measured holds nothing, and the others are measured all the same. */
async function measured(name: string, one: () => Figure[] | Promise<Figure[]>): Promise<Figure[]> {
	try {
		return await one();
	} catch (error) {
		console.error(error);
		return [
			{ name, measured: 'not measured', baseline: '', result: 'failed', wanted: 'a figure', held: false }
		];
	}
}

const PAGE = 'docs/benchmarks.md';
const EXPLAINED = '\n## What they mean\n';
/** What people wrote under the figures stays. */
function explained(): string {
	const standing = readFileSync(PAGE, 'utf8');
	const at = standing.indexOf(EXPLAINED);
	return at < 0 ? '' : standing.slice(at);
}

const page = (figures: readonly Figure[]) => `# Benchmarks

\`./limen bench\`, last run ${new Date().toISOString().slice(0, 10)} on ${cpus().length} cores (${cpus()[0]?.model.trim()}), ${Math.round(totalmem() / 2 ** 30)} GiB, Node.js ${process.versions.node}. Client, application and PostgreSQL share the machine.

| what | measured | baseline, same run | result | wanted | |
|---|---|---|---|---|---|
${figures.map(({ name, measured, baseline, result, wanted, held }) => `| ${name} | ${measured} | ${baseline} | ${result} | ${wanted} | ${held ? 'held' : 'missed'} |`).join('\n')}
`;
