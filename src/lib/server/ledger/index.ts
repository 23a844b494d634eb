export * from './ledger';
export * from './head';
