<script lang="ts">
	import { FormField, Notice } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import { forgetPages } from '$ui/day';

	let { data, form } = $props();
	const back = $derived(page.url.searchParams.get('back'));
	const action = (name: string) => `?/${name}${back ? `&back=${encodeURIComponent(back)}` : ''}`;
	/** Whoever was not let in wants to come as somebody else. */
	const firmQuery = $derived(
		new URLSearchParams({ ...(back && { back }), ...(data.refused && { another: 'on' }) }).toString()
	);
	let password = $state('');
	// Whoever stands here has gone: the day that a phone keeps is theirs, what waits to be sent stays
	onMount(() => void forgetPages());
</script>

<svelte:head><title>Sign in · Limen</title></svelte:head>
<h1>Sign in</h1>
{#if data.refused}<Notice kind="wrong">{data.refused}</Notice>{/if}
{#if data.firm && data.hasSignedOut}<Notice kind="careful" class="mt-3"
		>You are signed out of Limen, but perhaps not of {data.firm.name}. On a computer that others use,
		<a href="/sign-in/firm/leave" data-sveltekit-reload>sign out there too</a>.</Notice
	>{/if}
{#if data.firm}
	<div class="mt-4">
		<Button href="/sign-in/firm{firmQuery ? `?${firmQuery}` : ''}" data-sveltekit-reload
			>Sign in with {data.firm.name}</Button
		>
	</div>
	<h2 class="mt-6">Or with a password of your own</h2>
{/if}
<form
	method="POST"
	action={action('password')}
	class="mt-4"
	use:act={() =>
		async ({ update }) =>
			update({ reset: false })}
>
	<FormField
		label="E-mail address"
		kind="email"
		id="email"
		name="email"
		required
		autocomplete="username"
		value={form?.email ?? ''}
	/>

	<FormField
		label="Password"
		kind="password"
		class="mt-4"
		id="password"
		name="password"
		required
		autocomplete="current-password"
		bind:value={password}
	/>
	{#if form?.needsCode}
		<FormField
			label="One-time code"
			mono
			class="mt-4"
			id="code"
			name="code"
			autocomplete="one-time-code"
			autofocus
		/>
	{/if}
	{#if form?.problem}<p
			class="mt-4 font-semibold"
			class:text-[var(--brick)]={!form.needsCode}
			role={form.needsCode ? 'status' : 'alert'}
		>
			{form.problem}
		</p>{/if}
	<p class="mt-5 flex items-center gap-5">
		<Button type="submit" color={data.firm ? 'alternative' : undefined}>Sign in</Button><a href="/forgotten"
			>Password forgotten?</a
		>
	</p>
</form>
{#if data.quick.length > 0}
	<section class="mt-8 border-t border-[var(--hairline)] pt-5">
		<h2>Or, in this demo, come in as</h2>
		<form method="POST" action={action('quick')} class="mt-2" use:act>
			{#each data.quick as one (one.id)}
				<button name="person" value={one.id} class="quick"
					><b>{one.name}</b> <span class="quiet">{one.part}</span></button
				>
			{/each}
		</form>
	</section>
{/if}

<style>
	.quick {
		display: flex;
		justify-content: space-between;
		gap: 1rem;
		width: 100%;
		padding: 0.6rem 0.7rem;
		text-align: left;
		cursor: pointer;
		border-bottom: 1px solid var(--hairline);
	}
	.quick:hover {
		background: var(--chosen);
	}
</style>
