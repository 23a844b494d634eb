export * from './authentication';
export * from './service';
