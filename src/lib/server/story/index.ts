export * from './story';
