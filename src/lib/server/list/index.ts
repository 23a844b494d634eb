export * from './page';
export * from './views';
export * from './actions';
