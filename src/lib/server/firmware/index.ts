export * from './service';
