export { backFromFirm, beginAtFirm, FIRM_REFUSALS, type FirmRefusal } from './come-in';
export { mapGroup, mappedGroups, mappedSchema, unmapGroup, type MappedGroup } from './groups';
export { firmSignOut } from './leave';
export { firmProvider } from './provider';
