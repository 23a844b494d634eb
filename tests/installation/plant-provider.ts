import { makeProvider } from '../../bench/provider/make';
import { anyWay, viewAll } from '../../bench/provider/pages';
import { actAlwaysAs, SETUP } from '../../src/lib/server/database';
import { closeDatabase } from '../../command/cluster';

/** Makes a provider as the benches do, very small, while no application looks; or, told so, says what each of its pages answers. */
actAlwaysAs(SETUP);
const days = { readings: 1, hours: 2, days: 3 };
if (process.argv[2] === 'view') console.log(JSON.stringify(await viewAll('Tiny', await anyWay(), 0)));
else await makeProvider('Tiny', { customers: 2, sites: 100, units: 500, events: 600, days });
await closeDatabase();
