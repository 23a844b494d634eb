<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import { forgetPages } from '$ui/day/kept';

	let { data, form } = $props();
	const back = $derived(page.url.searchParams.get('back'));
	const action = (name: string) => `?/${name}${back ? `&back=${encodeURIComponent(back)}` : ''}`;
	let password = $state('');
	// Whoever stands here has gone: the day that a phone keeps is theirs, what waits to be sent stays
	onMount(() => void forgetPages());
</script>

<svelte:head><title>Sign in · Limen</title></svelte:head>
<h1>Sign in</h1>
<form
	method="POST"
	action={action('password')}
	class="mt-4"
	use:enhance={() =>
		async ({ update }) =>
			update({ reset: false })}
>
	<label class="block font-semibold" for="email">E-mail address</label>
	<input
		id="email"
		name="email"
		type="email"
		required
		autocomplete="username"
		class="field"
		value={form?.email ?? ''}
	/>
	<label class="mt-4 block font-semibold" for="password">Password</label>
	<input
		id="password"
		name="password"
		type="password"
		required
		autocomplete="current-password"
		class="field"
		bind:value={password}
	/>
	{#if form?.needsCode}
		<label class="mt-4 block font-semibold" for="code">One-time code</label>
		<!-- svelte-ignore a11y_autofocus -->
		<input id="code" name="code" autocomplete="one-time-code" class="field mono" autofocus />
	{/if}
	{#if form?.problem}<p
			class="mt-4 font-semibold"
			class:text-[var(--brick)]={!form.needsCode}
			role={form.needsCode ? 'status' : 'alert'}
		>
			{form.problem}
		</p>{/if}
	<p class="mt-5 flex items-center gap-5">
		<Button type="submit">Sign in</Button><a href="/forgotten">Password forgotten?</a>
	</p>
</form>
{#if data.quick.length > 0}
	<section class="mt-8 border-t border-[var(--hairline)] pt-5">
		<h2>Or, in this demo, come in as</h2>
		<form method="POST" action={action('quick')} class="mt-2" use:enhance>
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
