export * from './render';
export * from './values';
