export * from './clean';
