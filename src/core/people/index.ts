export * from './may';
export * from './groups';
