export * from './pair';
export * from './standing';
