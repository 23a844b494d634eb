export * from './plain-progress';
export * from './port-picture';
export * from './site-card';
