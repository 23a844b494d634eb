export * from './day';
