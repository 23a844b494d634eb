export * from './import';
export * from './store';
