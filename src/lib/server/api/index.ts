export * from './answers';
export { batchAgain } from './batch-again';
export { documentFields, fieldsTaken } from './form-schema';
export * from './idempotency';
export { CUSTOMER_HEADER, type InterfaceAct, type InterfacePage } from './interface-paths';
export * from './openapi';
export * from './schemas';
export * from './store';
