export * from './store';
