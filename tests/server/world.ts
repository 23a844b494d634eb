import { closeDatabase, migrate } from '../../command/cluster';
import { startApplication } from '../../command/limen';
import { stopPrograms } from '../../command/running/processes';
import { loadImages, loadPlan } from '../../command/demo';
import { runAs, SETUP } from '../../src/lib/server/database';
import { startHub, stopHub } from '../../src/lib/server/live';
import { actAsEngineer, closeUnwalled, unwalled } from './making';
import { currentSettings } from '../../src/lib/server/settings';

/** Before the first server test: a migrated database with the demo's plan and images, and the built application on it. */
before(async () => {
	await migrate(currentSettings());
	await runAs(SETUP, async () => {
		await loadPlan();
		await loadImages();
	});
	await actAsEngineer();
	// However long the tests take: only who says so of a unit makes it one that is not heard
	await unwalled()('model').update({ quiet_normal: '10 hours' });
	await startHub();
	await startApplication(currentSettings());
});

after(async () => {
	await stopPrograms();
	await stopHub();
	await closeUnwalled();
	await closeDatabase();
});
