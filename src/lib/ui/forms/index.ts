export { act, askAction, keepingThePage, showAnswer } from './act';
export { session } from './session.svelte';
export { FORM, type FormState } from './state';
