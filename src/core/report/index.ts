export * from './blocks';
export * from './parts';
