export { timeNow } from './clock';
export * from './connection';
export * from './enqueue';
export * from './group';
export * from './identity';
export * from './keys-check';
export { drawSchema } from './schema';
export { apartFromTransaction } from './walled-client';
