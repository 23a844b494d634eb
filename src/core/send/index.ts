export * from './send';
