export * from './course';
export * from './stop';
export * from './waves';
export * from './plan';
export * from './shown';
