export * from './arrivals';
export * from './begin';
export * from './record';
export * from './watch';
