export * from './xml';
