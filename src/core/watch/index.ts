export * from './survival';
export * from './expectation';
