export * from './path';
