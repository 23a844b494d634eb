export { editNumber, fieldsOf, formAction, manyIds, oneId, type FormProblem } from './form-action';
