export * from './cms';
export * from './owner-key';
