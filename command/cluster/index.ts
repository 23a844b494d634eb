export * from './cluster';
export * from './migrate';
export { DATABASE_ROLES } from './roles';
