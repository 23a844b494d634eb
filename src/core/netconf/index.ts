export * from './framing';
export * from './messages';
