import { loadImages, loadPlan } from '../../command/demo';
import { actAlwaysAs, closeDatabase, database, SETUP } from '../../src/lib/server/database';

/** Run by itself in the surroundings of an installation: brings in the demo's plan, which no page makes yet. */
actAlwaysAs(SETUP);
await loadPlan();
await loadImages();
console.log((await database()('customer').where({ name: 'Marlstone Veterinary' }).first('id')).id);
await closeDatabase();
