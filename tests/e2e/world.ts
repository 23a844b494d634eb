import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { closeDatabase, migrate } from '../../command/cluster';
import {
	hubSerials,
	loadGroups,
	loadHealth,
	loadHubs,
	loadImages,
	loadPatterns,
	loadPeople,
	loadPlan,
	loadPools
} from '../../command/demo';
import { demoOnly, demoRegistries } from '../../command/demo-settings';
import { startApplication, startYard } from '../../command/limen';
import { stopPrograms } from '../../command/running/processes';
import { actAlwaysAs, SETUP } from '../../src/lib/server/database';
import { currentSettings } from '../../src/lib/server/settings';
import { unitsOf } from '../../standins/yard/units-file';

/**
 * What the browser tests look at: the demo's plan and images without any unit taken in but the hubs, the built
 * application, and a yard in which nothing else has power yet and time runs two hundred times as fast.
 */
const settings = currentSettings();
await migrate(settings, { demo: true });
actAlwaysAs(SETUP);
await loadPlan();
await loadPeople();
await loadGroups();
await loadImages();
await loadPools();
await loadPatterns();
await loadHubs(demoRegistries(settings));
await loadHealth();
await closeDatabase();

const units = (unitsOf('demo/yard.json') as Record<string, unknown>[]).map(
	({ serial, mac, claimCode, model, maker, version, ...more }) => ({
		...{ serial, mac, claimCode, model, maker, version },
		// Those that are reached at an address are as somebody else left them
		...(more.listens === true && more),
		powered: hubSerials.includes(serial as string)
	})
);
const yard = join(settings.LIMEN_STATE_DIR, 'yard.json');
writeFileSync(yard, JSON.stringify(units));

process.once('SIGTERM', () => void stopPrograms().then(() => process.exit(0)));
await startApplication(settings, { ...demoOnly(settings), LIMEN_WATCH: 'yes' });
await startYard(settings, { YARD_UNITS: yard, YARD_PACE: '0.005', YARD_REGISTRIES_TRUST: 'yes' });
await new Promise(() => undefined);
