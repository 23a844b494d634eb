export { loadConnector } from './connector';
export { hubSerials } from './files';
export { loadHealth } from './health';
export { loadHistory } from './history';
export { DEMO_PASSWORD } from './password';
export { loadGroups, loadPeople } from './people';
export * from './plan';
export { loadHubs, loadImages, loadUnits } from './units';
export { loadWebhook } from './webhook';
