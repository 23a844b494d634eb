export * from './age';
export * from './make';
export * from './offers';
export * from './rotation';
