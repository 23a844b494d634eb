export * from './certificate';
export * from './cms';
export * from './der';
export { fromPem } from './octets';
export * from './revocation';
export * from './voucher';
