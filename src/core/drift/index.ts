export * from './finding';
