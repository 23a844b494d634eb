export { default as WebhookForm } from './WebhookForm.svelte';
export { default as WebhookSecret } from './WebhookSecret.svelte';
export { default as WebhookStanding } from './WebhookStanding.svelte';
