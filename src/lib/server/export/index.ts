export { bringIn } from './bring-in';
export { LEFT_OUT, readCatalogue, SHARED } from './tables';
export { filesOf, takeOut } from './take-out';
export { LEAST_PASSPHRASE } from './passphrase';
