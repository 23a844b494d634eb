export * from './renderings';
export * from './secrets';
export * from './store';
