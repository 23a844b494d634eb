export * from './checks';
export * from './help';
export * from './judge';
export * from './planned';
export * from './cabling';
export * from './limits';
export * from './drawing';
