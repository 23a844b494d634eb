<script lang="ts">
	import { onMount, type ComponentProps, type Snippet } from 'svelte';
	import {
		Badge,
		BottomNav,
		BottomNavItem,
		Kbd,
		NavBrand,
		Navbar,
		NavLi,
		NavUl,
		Search,
		Select
	} from 'flowbite-svelte';
	import BarsOutline from 'flowbite-svelte-icons/BarsOutline.svelte';
	import ClipboardListOutline from 'flowbite-svelte-icons/ClipboardListOutline.svelte';
	import HomeOutline from 'flowbite-svelte-icons/HomeOutline.svelte';
	import MoonOutline from 'flowbite-svelte-icons/MoonOutline.svelte';
	import QrCodeOutline from 'flowbite-svelte-icons/QrCodeOutline.svelte';
	import QuestionCircleOutline from 'flowbite-svelte-icons/QuestionCircleOutline.svelte';
	import SunOutline from 'flowbite-svelte-icons/SunOutline.svelte';
	import TruckOutline from 'flowbite-svelte-icons/TruckOutline.svelte';
	import UserCircleOutline from 'flowbite-svelte-icons/UserCircleOutline.svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { connection, watchNeeds } from '../live';
	import { Menu, MenuAct, MenuLink } from '../kit';
	import { afterScan, shellKeys } from './keyboard';
	import { may, type Capable } from '$core/people';
	import AlertToasts from './AlertToasts.svelte';
	import HelpPanel from './HelpPanel.svelte';
	import Mark from './Mark.svelte';
	import { isIn, ROOMS } from './rooms';
	import SignInAgain from './SignInAgain.svelte';
	import { WorkBar } from '../work';

	let {
		person,
		customers,
		customerId,
		works,
		children
	}: {
		person: Capable & { readonly name: string };
		customers: readonly { id: string; name: string }[];
		customerId: string | null;
		/** The long work that they began. */
		works: ComponentProps<typeof WorkBar>['works'];
		children: Snippet;
	} = $props();
	const rooms = $derived(ROOMS.filter(({ needs }) => may(person, needs)));

	let find: HTMLInputElement | undefined = $state();
	let helping = $state(false);
	let dark = $state(false);
	const keys = shellKeys({
		find: () => find?.focus(),
		help: () => (helping = true),
		go: (href) => void goto(href),
		scanned: (text) => void goto(afterScan(text, page.url))
	});

	onMount(() => {
		dark = document.documentElement.classList.contains('dark');
		// Tells whoever drives the page by program that it answers to keys and clicks now
		document.documentElement.dataset.ready = 'yes';
		return watchNeeds();
	});

	function switchTheme() {
		dark = document.documentElement.classList.toggle('dark');
		localStorage.setItem('theme', dark ? 'dark' : 'light');
	}
	const here = $derived(page.url.pathname + page.url.search);
	const isHere = (href: string) => (isIn(page.url.pathname, href) ? 'page' : undefined);
</script>

<svelte:window onkeydown={keys} />

<a href="#content" class="skip">To the content</a>
<Navbar fluid class="shell" navContainerClass="gap-x-4 gap-y-2 flex-wrap">
	<NavBrand href="/" aria-label="Limen, Today" class="product"><Mark /><span>Limen</span></NavBrand>
	<form method="POST" action="/customer" class="customer">
		<input type="hidden" name="back" value={here.slice(0, 500)} />
		<Select
			name="customer"
			aria-label="Customer"
			placeholder=""
			value={customerId ?? ''}
			onchange={(event) => event.currentTarget.form?.requestSubmit()}
		>
			<option value="">All customers</option>
			{#each customers as { id, name } (id)}<option value={id}>{name}</option>{/each}
		</Select>
		<noscript><button>Show</button></noscript>
	</form>
	<form action="/find" class="find" role="search">
		<Search
			bind:elementRef={find}
			name="q"
			size="sm"
			placeholder="Find or scan"
			aria-label="Find or scan a unit or a site"
			autocomplete="off"
			spellcheck="false"
			maxlength={200}
		/>
		<Kbd aria-hidden="true" class="key">/</Kbd>
	</form>
	<span class="account">
		<button type="button" class="icon" onclick={switchTheme} aria-label="Switch between light and dark"
			>{#if dark}<SunOutline class="h-5 w-5" />{:else}<MoonOutline class="h-5 w-5" />{/if}</button
		>
		<button type="button" class="icon" onclick={() => (helping = true)} aria-label="Help for this page"
			><QuestionCircleOutline class="h-5 w-5" /></button
		>
		<span class="own"
			><Menu label={person.name}>
				{#snippet face()}<UserCircleOutline class="me-1 h-5 w-5" />{person.name}{/snippet}
				<MenuLink href="/account">Your account</MenuLink>
				<MenuLink href="/work">Long work</MenuLink>
				{#if may(person, 'manage people')}<MenuLink href="/people">People</MenuLink>
					<MenuLink href="/running">How Limen runs</MenuLink>{/if}
				<MenuAct action="/sign-out" plain>Sign out</MenuAct>
			</Menu></span
		>
	</span>
	<NavUl class="rooms" role="navigation" aria-label="Rooms">
		{#each rooms as room (room.href)}<NavLi href={room.href} aria-current={isHere(room.href)}
				>{room.name}</NavLi
			>{/each}
	</NavUl>
	{#if connection.lost || connection.waiting > 0}<Badge color="red" large class="lost" role="status"
			>Connection lost. Trying again …</Badge
		>{/if}
</Navbar>
<WorkBar {works} />
<main id="content">{@render children()}</main>
<BottomNav
	position="fixed"
	class="phone"
	role="navigation"
	aria-label="Rooms on a phone"
	classes={{ inner: 'grid-cols-4' }}
>
	<BottomNavItem btnName="Today" href="/" aria-current={page.url.pathname === '/' ? 'page' : undefined}
		><HomeOutline class="h-6 w-6" /></BottomNavItem
	>
	<BottomNavItem btnName="Scan" href="/find" aria-current={isHere('/find')}
		><QrCodeOutline class="h-6 w-6" /></BottomNavItem
	>
	{#if may(person, 'bind')}<BottomNavItem btnName="Day" href="/day" aria-current={isHere('/day')}
			><ClipboardListOutline class="h-6 w-6" /></BottomNavItem
		>{:else}<BottomNavItem btnName="Arrivals" href="/arrivals" aria-current={isHere('/arrivals')}
			><TruckOutline class="h-6 w-6" /></BottomNavItem
		>{/if}
	<Menu label="More" placement="top-end" class="more">
		{#snippet face()}<span class="flex flex-col items-center text-sm"
				><BarsOutline class="h-6 w-6" />More</span
			>{/snippet}
		{#if may(person, 'bind')}<MenuLink href="/arrivals">Arrivals</MenuLink>{/if}
		{#each rooms.filter((room) => !room.phone) as room (room.href)}<MenuLink href={room.href}
				>{room.name}</MenuLink
			>{/each}
		<MenuLink href="/account">Your account</MenuLink>
		<li>
			<button type="button" class="menu-item" onclick={() => (helping = true)}>Help for this page</button>
		</li>
		<MenuAct action="/sign-out" plain>Sign out</MenuAct>
	</Menu>
</BottomNav>

<HelpPanel bind:open={helping} {rooms} />
<AlertToasts />
<SignInAgain />

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
	:global(.shell) {
		padding: 0.5rem 1.25rem 0;
		background: var(--sheet);
		border-bottom: 1px solid var(--hairline);
	}
	:global(.product) {
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
	.find :global(.key) {
		position: absolute;
		right: 0.4rem;
		top: 50%;
		padding: 0.05rem 0.5rem;
		transform: translateY(-50%);
	}
	.find:focus-within :global(.key) {
		display: none;
	}
	.customer {
		max-width: 15rem;
	}
	.account {
		display: flex;
		align-items: center;
		gap: 0.4rem;
		margin-left: auto;
	}
	.icon {
		width: 2.2rem;
		height: 2.2rem;
		display: grid;
		place-items: center;
		border-radius: 6px;
		cursor: pointer;
	}
	.icon:hover {
		background: var(--chosen);
	}
	:global(.rooms) {
		flex-basis: 100%;
	}
	:global(.rooms ul) {
		display: flex;
		flex-direction: row;
		gap: 0.25rem;
		margin: 0 -0.75rem;
		padding: 0;
	}
	:global(.rooms li a) {
		display: block;
		padding: 0.4rem 0.75rem;
		border-radius: 0;
		color: var(--ink);
		font-weight: 400;
		font-size: 1rem;
		text-decoration: none;
		border-bottom: 3px solid transparent;
	}
	:global(.rooms li a:hover) {
		background: var(--chosen);
	}
	:global(.rooms li a[aria-current]) {
		border-bottom-color: var(--marigold);
		font-weight: 700;
	}
	:global(.lost) {
		margin-bottom: 0.4rem;
	}
	main {
		padding: 1.25rem;
	}
	:global(.phone) {
		display: none;
	}
	@media (max-width: 640px) {
		:global(.shell) {
			padding: 0.5rem 0.75rem;
		}
		:global(.rooms),
		.own,
		.find :global(.key) {
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
			padding: 1rem 0.75rem 6rem;
		}
		:global(.phone) {
			display: block;
			background: var(--sheet);
			border-color: var(--hairline);
		}
		:global(.phone a),
		:global(.phone .more) {
			width: 100%;
			height: 100%;
			justify-content: center;
			border: 0;
			border-radius: 0;
			color: var(--ink);
			background: none;
			text-decoration: none;
			font-weight: 400;
		}
		:global(.phone a span) {
			color: inherit;
		}
		:global(.phone [aria-current]) {
			font-weight: 700;
			box-shadow: inset 0 3px var(--marigold);
		}
	}
</style>
