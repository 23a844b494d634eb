export * from './callers';
export * from './keys';
export * from './actions';
