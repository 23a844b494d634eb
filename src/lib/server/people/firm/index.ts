export { backFromFirm, beginAtFirm, FIRM_REFUSALS, type FirmRefusal } from './come-in';
export { mapGroup, mappedGroups, mappedSchema, unmapGroup, type MappedGroup } from './groups';
export { firmProvider } from './provider';
