<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { FormWords, NewPassword } from '$ui/people';

	let { data, form } = $props();
	const ticket = $derived(data.ticket);
</script>

<svelte:head><title>Set a password · Limen</title></svelte:head>
{#if !ticket}
	<h1>This link is good no more</h1>
	<p class="mt-3">
		It has been used, or its time is over. Ask an administrator for a new one, or <a href="/forgotten"
			>have one sent</a
		>.
	</p>
{:else}
	<h1>{ticket.kind === 'first-administrator' ? 'The first administrator' : `Welcome, ${ticket.name}`}</h1>
	<form
		method="POST"
		class="mt-4"
		use:enhance={() =>
			async ({ update }) =>
				update({ reset: false })}
	>
		{#if ticket.kind === 'first-administrator'}
			<label class="block font-semibold" for="name">Your name</label>
			<input id="name" name="name" required maxlength="120" autocomplete="name" class="field" />
			<label class="mt-4 block font-semibold" for="email">E-mail address</label>
			<input id="email" name="email" type="email" required autocomplete="username" class="field" />
		{:else}
			<input type="hidden" autocomplete="username" value={ticket.email} />
		{/if}
		<NewPassword />
		{#if ticket.wantsCode}
			<label class="mt-4 block font-semibold" for="code">One-time code or recovery code</label>
			<input id="code" name="code" required autocomplete="one-time-code" maxlength="40" class="field mono" />
			<p class="quiet mt-1">
				The letter alone is not enough: you turned on one-time codes. If you have neither your phone nor a
				recovery code, ask an administrator to turn them off.
			</p>
		{/if}
		<FormWords {form} />
		<p class="mt-5"><Button type="submit">Set the password and come in</Button></p>
	</form>
{/if}
