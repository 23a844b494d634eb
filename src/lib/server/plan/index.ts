export * from './import';
export * from './store';
export * from './pools';
export * from './values';
export * from './sheet-file';
export * from './positions';
