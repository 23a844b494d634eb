export * from './errand';
export * from './round-trip';
