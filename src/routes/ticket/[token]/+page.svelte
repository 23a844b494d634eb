<script lang="ts">
	import { FormField } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { FormWords, NewPassword } from '$ui/people';

	let { data, form } = $props();
	const ticket = $derived(data.ticket);
</script>

<svelte:head><title>Set a password · Limen</title></svelte:head>
{#if !ticket}
	<h1>This link is no longer valid</h1>
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
		use:act={() =>
			async ({ update }) =>
				update({ reset: false })}
	>
		{#if ticket.kind === 'first-administrator'}
			<FormField label="Your name" id="name" name="name" required maxlength={120} autocomplete="name" />

			<FormField
				label="E-mail address"
				kind="email"
				class="mt-4"
				id="email"
				name="email"
				required
				autocomplete="username"
			/>
		{:else}
			<input type="hidden" autocomplete="username" value={ticket.email} />
		{/if}
		<NewPassword />
		{#if ticket.wantsCode}
			<FormField
				label="One-time code or recovery code"
				mono
				class="mt-4"
				id="code"
				name="code"
				required
				autocomplete="one-time-code"
				maxlength={40}
			/>
			<p class="quiet mt-1">
				The letter alone is not enough: you turned on one-time codes. If you have neither your phone nor a
				recovery code, ask an administrator to turn them off.
			</p>
		{/if}
		<FormWords {form} />
		<p class="mt-5"><Button type="submit">Set the password and come in</Button></p>
	</form>
{/if}
