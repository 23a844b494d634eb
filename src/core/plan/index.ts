export * from './site-standing';
