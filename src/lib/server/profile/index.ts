export {
	addPartsIn,
	createProfile,
	createProfileIn,
	draftFrom,
	dropProfileDraft,
	EMPTY_DRAFT,
	NOT_YOURS,
	profileWords,
	saveProfile,
	sealedValues,
	type ProfileDraft
} from './editing';
export { coverageOfRevision, releaseProfile } from './release';
export * from './files';
export * from './impact';
export * from './keeping';
export * from './opened';
export { addOwnIn, ownTextOf, removeOwn } from './own-text';
export {
	allParts,
	newestPartRevisions,
	partById,
	releasedParts,
	revisionsOfPart,
	usesOfPart,
	type PartOfLibrary,
	type PartRevision,
	type PartRow
} from './library';
export * from './parts';
export * from './preview';
export * from './renderings';
export * from './revisions';
export * from './secrets';
export * from './sources';
export * from './store';
export * from './trying';
export * from './schemas';
