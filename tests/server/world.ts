import { closeDatabase, migrate } from '../../command/cluster';
import { startApplication } from '../../command/limen';
import { stopPrograms } from '../../command/processes';
import { loadImages, loadPlan } from '../../command/demo-world';
import { actAlwaysAs, SETUP } from '../../src/lib/server/database';
import { startHub, stopHub } from '../../src/lib/server/live';
import { currentSettings } from '../../src/lib/server/settings';

/** Before the first server test: a migrated database with the demo's plan and images, and the built application on it. */
before(async () => {
	await migrate(currentSettings());
	// The tests themselves work as whoever sets things up; what they look at runs as it always does
	actAlwaysAs(SETUP);
	await loadPlan();
	await loadImages();
	await startHub();
	await startApplication(currentSettings());
});

after(async () => {
	await stopPrograms();
	await stopHub();
	await closeDatabase();
});
