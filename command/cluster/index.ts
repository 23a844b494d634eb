export * from './cluster';
export * from './migrate';
