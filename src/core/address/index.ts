export * from './address';
export * from './prefix';
export * from './pool';
