export { LONGEST_SIGNATURE, strangeSigner } from './signature';
export {
	allImages,
	findImage,
	firmwareLines,
	imagePath,
	imagesByLine,
	imageStateSchema,
	LARGEST_IMAGE_BYTES,
	setImageState,
	signedLines,
	uploadImage,
	VERSION_FORM,
	type Image,
	type ImageState,
	type StoredImage
} from './library';
export { imageResponse } from './serving';
export { fetcherOf, imageAddress } from './tickets';
export {
	droppedTargetSchema,
	dropTarget,
	ownTargets,
	setTarget,
	targetSchema,
	whoRuns,
	type OwnTarget,
	type RunBy
} from './targets';
