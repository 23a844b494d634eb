export * from './ledger';
export * from './head';
export * from './anchor';
