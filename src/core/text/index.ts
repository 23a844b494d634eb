export * from './clean';
export * from './counted';
export * from './times';
