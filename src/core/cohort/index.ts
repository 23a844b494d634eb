export * from './size';
