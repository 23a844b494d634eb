import { writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import { closeDatabase, migrate } from '../command/cluster';
import { loadImages, loadPlan } from '../command/demo-world';
import { say } from '../command/problem';
import { actAlwaysAs, SETUP } from '../src/lib/server/database';
import { currentSettings } from '../src/lib/server/settings';
import { benchIntake, benchRendering } from './computing';
import { benchAllotment, benchImpact, benchSheet } from './profiles';
import { benchScreen } from './screen';
import { benchStorm } from './storm';
import { benchWalls } from './walls';
import type { Figure } from './world';

/** Runs every benchmark against its baseline, prints the figures and keeps them. Whether all held. */
export async function runAll(): Promise<boolean> {
	await migrate(currentSettings());
	actAlwaysAs(SETUP);
	await loadPlan();
	await loadImages();
	const figures: Figure[] = [];
	for (const one of [
		benchRendering,
		benchAllotment,
		benchIntake,
		benchStorm,
		benchScreen,
		benchWalls,
		benchSheet,
		benchImpact
	]) {
		const found = await one();
		for (const { name, measured, baseline, result, wanted, held } of found)
			say(
				`${held ? 'held  ' : 'MISSED'}  ${name}: ${measured}${baseline && ` against ${baseline}`}: ${result} (${wanted})`
			);
		figures.push(...found);
	}
	writeFileSync('docs/benchmarks.md', page(figures));
	await closeDatabase();
	return figures.every(({ held }) => held);
}

const page = (figures: readonly Figure[]) => `# Benchmarks

\`./limen bench\`, last run ${new Date().toISOString().slice(0, 10)} on ${cpus().length} cores (${cpus()[0]?.model.trim()}), ${Math.round(totalmem() / 2 ** 30)} GiB, Node.js ${process.versions.node}. Client, application and PostgreSQL share the machine.

| what | measured | baseline, same run | result | wanted | |
|---|---|---|---|---|---|
${figures.map(({ name, measured, baseline, result, wanted, held }) => `| ${name} | ${measured} | ${baseline} | ${result} | ${wanted} | ${held ? 'held' : 'missed'} |`).join('\n')}
`;
