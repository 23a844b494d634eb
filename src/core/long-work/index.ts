export * from './long-work';
