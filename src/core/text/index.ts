export * from './clean';
export * from './counted';
