export * from './blocks';
