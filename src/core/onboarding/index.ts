export * from './advice';
export * from './proof';
export * from './run';
export * from './standing';
export * from './steps';
