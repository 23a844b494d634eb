export * from './hub';
export * from './notify';
export * from './stream';
