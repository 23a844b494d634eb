export * from './causes';
export * from './rule';
