export * from './page';
export * from './views';
