export * from './bundle';
export * from './cms';
export * from './conveyed';
export * from './credentials';
export * from './messages';
export * from './resources';
export * from './signed';
export * from './network';
