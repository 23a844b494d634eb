/** All of the demo's people have it: nothing there is anybody's. */
export const DEMO_PASSWORD = 'sallowfield demo only';
