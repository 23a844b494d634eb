export * from './batch';
export { registries, useRegistries, type RegistryPlace } from './registries';
export { askNext, startRegistries, stopRegistries } from './registry-queue';
export * from './service';
export * from './store';
export * from './waiting';
export * from './models';
export { chosenColumns, knownSuppliers, readColumns } from './suppliers';
export * from './unit-list';
