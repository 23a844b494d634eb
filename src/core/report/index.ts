export * from './blocks';
export * from './files';
export * from './parts';
export * from './picture';
export * from './schedule';
