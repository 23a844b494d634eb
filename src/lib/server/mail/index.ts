export * from './letters';
export * from './sender';
