export * from './callers';
