export * from './arrivals';
export * from './begin';
export * from './record';
