export * from './figures';
export * from './take';
export * from './uptime';
export * from './grain';
export * from './charts';
