export * from './answers';
export { documentFields } from './form-schema';
export * from './idempotency';
export type { InterfaceAct, InterfacePage } from './interface-paths';
export * from './openapi';
export * from './schemas';
export * from './store';
