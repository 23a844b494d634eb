export * from './happenings';
export * from './retry';
export * from './signature';
