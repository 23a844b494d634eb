export * from './sighting';
export { findThings, type Found, type FoundThing } from './things';
export { findLinks, type Link } from './links';
export * from './frontier';
export * from './plugged';
export * from './map';
export * from './drawing';
export * from './changes';
export * from './beside';
