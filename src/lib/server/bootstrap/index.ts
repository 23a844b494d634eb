export * from './authentication';
export * from './bundle';
export * from './service';
export * from './restconf';
