export {
	editNumber,
	fieldsOf,
	formAction,
	manyIds,
	oneId,
	type DescribedAction,
	type FormProblem
} from './form-action';
