export * from './render';
export * from './values';
export * from './mask';
