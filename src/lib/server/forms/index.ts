export {
	editNumber,
	fieldsOf,
	formAction,
	manyIds,
	oneId,
	whichever,
	type DescribedAction,
	type FormProblem
} from './form-action';
