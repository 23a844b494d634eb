export * from './flash';
export * from './path';
export * from './way';
