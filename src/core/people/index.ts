export * from './may';
