export * from './screen';
export * from './shell';
