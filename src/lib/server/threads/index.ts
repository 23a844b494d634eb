export * from './pool';
