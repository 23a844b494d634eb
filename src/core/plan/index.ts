export * from './copyable';
export * from './following';
export * from './local-time';
export * from './missing';
export * from './site-facts';
export * from './site-list';
export * from './site-standing';
export * from './stamping';
