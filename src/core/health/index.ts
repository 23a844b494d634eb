export * from './figures';
export * from './take';
export * from './uptime';
export * from './places';
export * from './grain';
export * from './charts';
