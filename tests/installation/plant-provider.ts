import { makeProvider } from '../../bench/provider/make';
import { anyWay, viewAll } from '../../bench/provider/pages';
import { actAlwaysAs, SETUP } from '../../src/lib/server/database';
import { closeDatabase } from '../../command/cluster';

/** A provider as the benches make it, very small; and what each of its pages answers. */
actAlwaysAs(SETUP);
const days = { readings: 1, hours: 2, days: 3 };
await makeProvider('Tiny', { customers: 2, sites: 100, units: 500, events: 600, days });
console.log(JSON.stringify(await viewAll('Tiny', await anyWay(), 0)));
await closeDatabase();
