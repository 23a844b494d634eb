export * from './commands';
export * from './send';
