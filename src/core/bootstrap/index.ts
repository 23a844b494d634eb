export * from './cms';
export * from './conveyed';
export * from './credentials';
export * from './messages';
