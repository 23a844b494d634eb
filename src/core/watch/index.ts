export * from './survival';
export * from './expectation';
export * from './completion';
export * from './words';
export * from './signature';
export * from './outcome';
export * from './causes';
export * from './diagnosis';
