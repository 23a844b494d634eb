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
export { coverageOfRevision, releaseProfile } from './revisions/release';
export * from './files';
export * from './revisions/impact';
export * from './revisions/keeping';
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
export * from './revisions/renderings';
export * from './revisions/revisions';
export * from './secrets';
export * from './sources';
export * from './store';
export * from './trying';
export * from './schemas';
