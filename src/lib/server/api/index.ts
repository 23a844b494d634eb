export * from './answers';
export * from './idempotency';
export type { InterfaceAct, InterfacePage } from './interface-paths';
export * from './openapi';
export * from './schemas';
export * from './store';
