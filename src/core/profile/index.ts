export * from './beside';
export * from './compose';
export type { Composition, Known, Piece, RenderedLine, RenderProblem, RenderResult } from './composition';
export * from './coverage';
export {
	describeType,
	FIELD_KINDS,
	fieldTypeSchema,
	isSecretType,
	type FieldType,
	type SimpleType
} from './field-types';
export * from './fields';
export * from './reading';
export { OWN_FILTERS } from './filters';
export * from './guide';
export * from './impact';
export { checkText, compile, isProblem, KNOWN_GROUPS, LARGEST_PROFILE_TEXT, MOST_TAGS } from './language';
export * from './lifelines';
export * from './lint';
export * from './look-alikes';
export * from './marking';
export * from './mask';
export * from './own-text';
export * from './small-change';
export { LARGEST_OUTPUT, type OriginLine } from './origin';
export type { TextProblem } from './problems';
export { evaluate, readsOf, renderText } from './render';
export * from './resolve';
export * from './sheet';
export * from './showing';
export * from './values';
export * from './uplink';
