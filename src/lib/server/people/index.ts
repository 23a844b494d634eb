export * from './actor';
