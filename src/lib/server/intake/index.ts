export * from './service';
export * from './store';
