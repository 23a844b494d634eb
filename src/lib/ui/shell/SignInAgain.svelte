<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { askAction, session } from '../forms';
	import { Dialog, FormField, Notice } from '../kit';

	/** The session has ended while somebody was working: signs in again in place, and what was being sent goes on. */
	let open = $derived(session.ended);
	let problem = $state('');
	let needsCode = $state(false);
	let busy = $state(false);

	async function signIn(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		const answer = await askAction(
			'/sign-in?/password',
			new FormData(event.currentTarget as HTMLFormElement)
		);
		busy = false;
		if (answer?.type === 'redirect' || answer?.type === 'success') {
			problem = '';
			session.resume();
			return;
		}
		needsCode = answer?.type === 'failure' && answer.data?.needsCode === true;
		problem = String(
			(answer?.type === 'failure' && answer.data?.problem) || 'Limen cannot be reached just now. Try again.'
		);
	}
</script>

<Dialog bind:open title="Sign in again" onclose={() => session.leave()}>
	<p>Your session has ended. Nothing that you typed is lost; it goes on once you are in.</p>
	<form class="grid gap-3" onsubmit={signIn}>
		<FormField
			label="E-mail address"
			name="email"
			kind="email"
			value={page.data.person?.email ?? ''}
			required
			autocomplete="username"
		/>
		<FormField label="Password" name="password" kind="password" required autocomplete="current-password" />
		{#if needsCode}<FormField label="One-time code" name="code" mono autocomplete="one-time-code" />{/if}
		{#if problem}<Notice kind={needsCode ? 'careful' : 'wrong'}>{problem}</Notice>{/if}
		<p><Button type="submit" disabled={busy}>Sign in and go on</Button></p>
	</form>
</Dialog>
