export * from './answers';
export * from './idempotency';
export * from './openapi';
export * from './schemas';
export * from './store';
