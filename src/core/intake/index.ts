export * from './check-character';
export * from './claim-code';
export * from './mac';
export * from './rows';
export * from './serial';
export * from './verdict';
export * from './registry';
export * from './label';
