export { packJsonSchema } from './json-schema';
export { currentPack, makersWithPacks, packFrom, talkOf } from './current';
export { loadPack, tryPackOut, type PackOutlook } from './load';
export {
	allMakers,
	connectedOf,
	connectedUnit,
	makerById,
	packsOf,
	packText,
	type MakerRow,
	type PackRow
} from './store';
