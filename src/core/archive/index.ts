export * from './outline';
export * from './secrets';
export * from './since';
export * from './words';
