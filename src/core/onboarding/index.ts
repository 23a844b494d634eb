export * from './advice';
export * from './check-phrase';
export * from './likely-place';
export * from './pairs';
export * from './proof';
export * from './run';
export * from './standing';
export * from './steps';
