export * from './callers';
export * from './actions';
