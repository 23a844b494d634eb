export * from './batch';
export {
	ASKING_LEASE,
	askForVouchers,
	registries,
	useRegistries,
	type RegistryPlace,
	type VouchersGiven
} from './registries';
export { askNext, startRegistries, stopRegistries } from './registry-queue';
export { correctClaimCode } from './correct-code';
export * from './service';
export { claimRunningIn, type RunningUnit } from './found';
export { dropRow, type Mending } from './mending';
export * from './store';
export * from './waiting';
export * from './models';
export { chosenColumns, knownSuppliers, readColumns } from './suppliers';
export * from './unit-list';
export * from './actions';
