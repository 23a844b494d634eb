export * from './network';
export * from './rehearse';
export * from './twin';
