export * from './connection';
export * from './group';
