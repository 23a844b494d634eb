export * from './hub';
export * from './notify';
