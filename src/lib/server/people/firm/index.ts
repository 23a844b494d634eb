export { backFromFirm, beginAtFirm } from './come-in';
export { FIRM_REFUSALS, type FirmRefusal } from './refusals';
export { mapGroup, mappedGroups, mappedSchema, unmapGroup, type MappedGroup } from './groups';
export { firmSignOut } from './leave';
export { firmProvider } from './provider';
