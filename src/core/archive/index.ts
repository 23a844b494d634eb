export * from './outline';
export * from './secrets';
export * from './words';
