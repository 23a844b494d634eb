<script lang="ts">
	import { onMount, type Snippet } from 'svelte';
	import { Modal } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { connection } from '../live';
	import { afterScan, shellKeys } from './keyboard';
	import { may, type Capable } from '$core/people';
	import Mark from './Mark.svelte';
	import { isIn, ROOMS } from './rooms';

	let {
		person,
		customers,
		customerId,
		children
	}: {
		person: Capable & { readonly name: string };
		customers: readonly { id: string; name: string }[];
		customerId: string | null;
		children: Snippet;
	} = $props();
	const rooms = $derived(ROOMS.filter(({ needs }) => may(person, needs)));

	let find: HTMLInputElement | undefined = $state();
	let helping = $state(false);
	const keys = shellKeys({
		find: () => find?.focus(),
		help: () => (helping = true),
		go: (href) => void goto(href),
		scanned: (text) => void goto(afterScan(text, page.url))
	});

	// Tells whoever drives the page by program that it answers to keys and clicks now
	onMount(() => void (document.documentElement.dataset.ready = 'yes'));

	function switchTheme() {
		const dark = document.documentElement.classList.toggle('dark');
		localStorage.setItem('theme', dark ? 'dark' : 'light');
	}
	const here = $derived(page.url.pathname + page.url.search);
</script>

<svelte:window onkeydown={keys} />

<a href="#content" class="skip">To the content</a>
<header>
	<a class="product" href="/" aria-label="Limen, Today">
		<Mark />
		<span>Limen</span>
	</a>
	<form method="POST" action="/customer" class="customer">
		<input type="hidden" name="back" value={here.slice(0, 500)} />
		<select
			name="customer"
			aria-label="Customer"
			value={customerId ?? ''}
			onchange={(event) => event.currentTarget.form?.requestSubmit()}
		>
			<option value="">All customers</option>
			{#each customers as { id, name } (id)}<option value={id}>{name}</option>{/each}
		</select>
		<noscript><button>Show</button></noscript>
	</form>
	<form action="/find" class="find" role="search">
		<input
			bind:this={find}
			name="q"
			type="search"
			placeholder="Find or scan"
			aria-label="Find or scan a unit or a site"
			autocomplete="off"
			spellcheck="false"
			maxlength="200"
		/>
		<kbd aria-hidden="true">/</kbd>
	</form>
	<span class="account">
		<button type="button" onclick={switchTheme} aria-label="Switch between light and dark">
			<svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true"
				><circle cx="8" cy="8" r="6" fill="none" stroke="currentColor" stroke-width="1.5" /><path
					d="M8 2a6 6 0 0 1 0 12z"
					fill="currentColor"
				/></svg
			>
		</button>
		<button type="button" onclick={() => (helping = true)} aria-label="Keys">?</button>
		<details class="own">
			<summary>{person.name}</summary>
			<div>
				<a href="/account">Your account</a>
				{#if may(person, 'manage people')}<a href="/people">People</a>{/if}
				<form method="POST" action="/sign-out"><button>Sign out</button></form>
			</div>
		</details>
	</span>
</header>
<nav aria-label="Rooms" class="rooms">
	{#each rooms as room (room.href)}
		<a href={room.href} aria-current={isIn(page.url.pathname, room.href) ? 'page' : undefined}>{room.name}</a>
	{/each}
	{#if connection.lost}<span class="lost" role="status">Connection lost. Trying again …</span>{/if}
</nav>
<main id="content">{@render children()}</main>
<nav aria-label="Rooms on a phone" class="phone">
	<a href="/" aria-current={page.url.pathname === '/' ? 'page' : undefined}>Today</a>
	<a href="/find" aria-current={isIn(page.url.pathname, '/find') ? 'page' : undefined}>Scan</a>
	<a href="/arrivals" aria-current={isIn(page.url.pathname, '/arrivals') ? 'page' : undefined}>Arrivals</a>
	<details>
		<summary>More</summary>
		<div>
			{#if may(person, 'bind')}<a href="/day">Your sites</a>{/if}
			{#each rooms.filter((room) => !room.phone) as room (room.href)}<a href={room.href}>{room.name}</a
				>{/each}
			<a href="/account">Your account</a>
		</div>
	</details>
</nav>

<Modal bind:open={helping} title="Keys" size="sm">
	<dl class="facts">
		<dt><kbd>/</kbd></dt>
		<dd>find or scan</dd>
		{#each rooms as room (room.href)}
			<dt><kbd>g</kbd> <kbd>{room.key}</kbd></dt>
			<dd>{room.name}</dd>
		{/each}
		<dt><kbd>j</kbd> <kbd>k</kbd></dt>
		<dd>down and up in a list</dd>
		<dt><kbd>Enter</kbd></dt>
		<dd>open</dd>
		<dt><kbd>Esc</kbd></dt>
		<dd>back out</dd>
	</dl>
	<p class="quiet">A hand scanner works anywhere outside a text field.</p>
</Modal>

<style>
	.skip {
		position: absolute;
		left: -999px;
	}
	.skip:focus {
		left: 0.5rem;
		top: 0.5rem;
		z-index: 20;
		background: var(--sheet);
		padding: 0.5rem;
	}
	header {
		display: flex;
		align-items: center;
		gap: 1rem;
		padding: 0.5rem 1.25rem;
		background: var(--sheet);
	}
	.product {
		display: flex;
		align-items: center;
		gap: 0.5rem;
		font-weight: 700;
		font-size: 1.15rem;
		text-decoration: none;
	}
	.find {
		position: relative;
		flex: 1;
		max-width: 26rem;
	}
	.find input,
	.customer select {
		width: 100%;
		background-color: var(--paper);
		color: var(--ink);
		border: 1px solid var(--hairline);
		border-radius: 6px;
		padding: 0.3rem 0.6rem;
	}
	.customer select {
		padding-right: 2rem;
		max-width: 15rem;
	}
	.find kbd {
		position: absolute;
		right: 0.6rem;
		top: 0.4rem;
		color: var(--quiet);
	}
	.find input:focus + kbd {
		display: none;
	}
	kbd {
		font-family: var(--font-mono);
		font-size: 0.85rem;
		border: 1px solid var(--hairline);
		border-radius: 4px;
		padding: 0 0.35em;
	}
	.account {
		display: flex;
		align-items: center;
		gap: 0.4rem;
		margin-left: auto;
	}
	.account button {
		width: 2rem;
		height: 2rem;
		display: grid;
		place-items: center;
		border-radius: 6px;
		cursor: pointer;
	}
	.account button:hover {
		background: var(--chosen);
	}
	.own {
		position: relative;
	}
	.own summary {
		cursor: pointer;
		padding: 0.3rem 0.5rem;
	}
	.own div {
		position: absolute;
		right: 0;
		z-index: 30;
		min-width: 10rem;
		background: var(--sheet);
		border: 1px solid var(--hairline);
		border-radius: 6px;
		padding: 0.3rem;
	}
	.own a,
	.own form button {
		display: block;
		width: 100%;
		height: auto;
		padding: 0.45rem 0.7rem;
		text-align: left;
		color: var(--ink);
		text-decoration: none;
	}
	.own a:hover {
		background: var(--chosen);
	}
	.rooms {
		display: flex;
		align-items: center;
		gap: 0.25rem;
		padding: 0 1rem;
		background: var(--sheet);
		border-bottom: 1px solid var(--hairline);
	}
	.rooms a {
		padding: 0.45rem 0.75rem;
		color: var(--ink);
		text-decoration: none;
		border-bottom: 3px solid transparent;
	}
	.rooms a:hover {
		background: var(--chosen);
	}
	.rooms a[aria-current] {
		border-bottom-color: var(--marigold);
		font-weight: 700;
	}
	.lost {
		margin-left: auto;
		color: var(--brick);
		font-weight: 600;
	}
	main {
		padding: 1.25rem;
	}
	.phone {
		display: none;
	}
	@media (max-width: 640px) {
		header {
			flex-wrap: wrap;
			gap: 0.5rem;
			padding: 0.5rem 0.75rem;
		}
		.rooms {
			padding: 0;
			min-height: 1px;
		}
		.rooms a,
		.own,
		.find kbd,
		.account button[aria-label='Keys'] {
			display: none;
		}
		.customer {
			flex: 1;
		}
		.find {
			order: 5;
			flex-basis: 100%;
			max-width: none;
		}
		main {
			padding: 1rem 0.75rem 5rem;
		}
		.phone {
			position: fixed;
			inset: auto 0 0;
			z-index: 10;
			display: flex;
			background: var(--sheet);
			border-top: 1px solid var(--hairline);
		}
		.phone > * {
			flex: 1;
			text-align: center;
		}
		.phone > a,
		.phone summary {
			display: block;
			padding: 0.85rem 0;
			color: var(--ink);
			text-decoration: none;
			list-style: none;
		}
		.phone [aria-current] {
			font-weight: 700;
			box-shadow: inset 0 3px var(--marigold);
		}
		.phone div {
			position: absolute;
			right: 0;
			bottom: 100%;
			background: var(--sheet);
			border: 1px solid var(--hairline);
		}
		.phone div a {
			display: block;
			padding: 0.8rem 2rem;
			text-align: left;
		}
	}
</style>
