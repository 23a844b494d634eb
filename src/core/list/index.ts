export * from './list';
export * from './lists';
