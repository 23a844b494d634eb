export * from './screens';
export { goodFor, readWall, wallAt, type Wall } from './shown';
