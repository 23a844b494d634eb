export { handingOverSchema, makeHandover, signaturesAt } from './make';
export { handoverJsonSchema } from './json-schema';
export * from './store';
