export { task } from './messages';
export * from './pool';
