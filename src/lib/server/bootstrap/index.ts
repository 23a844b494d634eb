export * from './authentication';
export * from './service';
export * from './restconf';
