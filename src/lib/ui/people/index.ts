export { default as BrowserNotices } from './BrowserNotices.svelte';
export { default as FormWords } from './FormWords.svelte';
export { default as NewPassword } from './NewPassword.svelte';
export { default as PersonalTokens } from './PersonalTokens.svelte';
export { default as Sessions } from './Sessions.svelte';
export { default as RecordsOf } from './RecordsOf.svelte';
export * from './may';
