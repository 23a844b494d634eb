export * from './compose/beside';
export * from './compose/compose';
export type {
	Composition,
	Known,
	Piece,
	RenderedLine,
	RenderProblem,
	RenderResult
} from './compose/composition';
export * from './compose/coverage';
export {
	describeType,
	FIELD_KINDS,
	fieldTypeSchema,
	isSecretType,
	type FieldType,
	type SimpleType
} from './values/field-types';
export * from './values/fields';
export * from './values/reading';
export { OWN_FILTERS } from './text/filters';
export * from './guide';
export * from './compose/impact';
export {
	checkText,
	compile,
	isProblem,
	KNOWN_GROUPS,
	LARGEST_PROFILE_TEXT,
	MOST_TAGS
} from './text/language';
export * from './text/lifelines';
export * from './text/lint';
export * from './values/look-alikes';
export * from './text/marking';
export * from './text/mask';
export { isSecretName, MASK, SECRET_WORDS } from './text/secret-words';
export * from './text/own-text';
export * from './text/small-change';
export { LARGEST_OUTPUT, type OriginLine } from './text/origin';
export type { TextProblem } from './text/problems';
export { evaluate, readsOf, renderText } from './text/render';
export * from './values/resolve';
export * from './values/sheet';
export * from './compose/showing';
export * from './values/values';
export * from './uplink';
