export * from './cause';
export * from './choose';
export * from './judge';
export * from './matrix';
export * from './order';
export * from './places';
export * from './words';
