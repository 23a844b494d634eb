export * from './document';
export * from './record';
