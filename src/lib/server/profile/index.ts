export * from './renderings';
export * from './store';
