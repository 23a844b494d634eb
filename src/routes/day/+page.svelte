<script lang="ts">
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { dev } from '$app/environment';
	import { act } from '$ui/forms';
	import { kilometresBetween, mapLink, missingOnTheWay, toBring, type DaySite } from '$core/day';
	import { siteStanding, siteWords } from '$core/plan';
	import { SiteOfDay, DayWork, keepThisPage } from '$ui/day';
	import { loadAnew, refreshOn, tabTitle } from '$ui/live';
	import { FormWords } from '$ui/people';
	import { clock, dayOf, Serial, hourOf, Standing } from '$ui/marks';
	import MapPinOutline from 'flowbite-svelte-icons/MapPinOutline.svelte';
	import PhoneOutline from 'flowbite-svelte-icons/PhoneOutline.svelte';

	const KEEP_AGAIN_MS = 10_000;

	let { data, form } = $props();
	const work = new DayWork(
		untrack(() => data.day),
		() => loadAnew('limen:live')
	);
	$effect(() => {
		const { day } = data;
		void untrack(() => work.take(day));
	});

	let online = $state(true);
	/** Whether it opens without signal from now on. */
	let pageKept = $state(false);
	let chosen = $state<string | null>(null);
	const day = $derived(work.seen);
	const site = $derived(day.sites.find(({ id }) => id === chosen) ?? null);

	onMount(() => {
		// There is none where the application is reached without TLS from elsewhere
		if (!dev)
			void navigator.serviceWorker
				?.register('/service-worker.js')
				.then(keepUntilKept)
				.catch(() => undefined);
		online = navigator.onLine;
		const fromHash = () => (chosen = location.hash.slice(1) || null);
		const back = () => {
			online = true;
			void work.send().then(() => loadAnew('limen:live'));
		};
		const gone = () => (online = false);
		fromHash();
		addEventListener('hashchange', fromHash);
		addEventListener('online', back);
		addEventListener('offline', gone);
		void work.begin().then(lookAgain);
		const stop = refreshOn(['runs', 'units', 'plan']);
		return () => {
			removeEventListener('hashchange', fromHash);
			removeEventListener('online', back);
			removeEventListener('offline', gone);
			clearTimeout(keeping);
			work.stop();
			stop();
		};
	});
	let keeping: ReturnType<typeof setTimeout> | undefined;
	/** A slow network may not let it be kept at once. */
	async function keepUntilKept(): Promise<void> {
		pageKept = await keepThisPage();
		if (!pageKept) keeping = setTimeout(() => void keepUntilKept(), KEEP_AGAIN_MS);
	}
	/** The page may be the one that was kept, because the network was slow: the server has a newer day then. */
	const lookAgain = () =>
		fetch('/healthz').then(
			() => loadAnew('limen:live'),
			() => undefined
		);
	const open = (id: string | null) => {
		location.hash = id ?? '';
		scrollTo(0, 0);
	};

	const dateOf = (one: DaySite) =>
		one.appointmentAt === null ? 'Taken along' : dayOf(one.appointmentAt, one.timeZone);
	const timeOf = (one: DaySite) =>
		one.appointmentAt === null ? 'no appointment' : hourOf(one.appointmentAt, one.timeZone);
	/** Written for a telephone: what stands in the contact counts too. */
	const phoneOf = (one: DaySite) =>
		(one.phone || (/\+?[\d ()/-]{6,}/.exec(one.contact)?.[0] ?? '')).replace(/[^\d+]/g, '');
	const wayTo = (index: number) => {
		const from = day.sites[index - 1];
		const far = from ? kilometresBetween(from, day.sites[index]!) : null;
		return far === null ? '' : ` · ${Math.round(far)} km on`;
	};
</script>

<svelte:head><title>{tabTitle('Your day')}</title></svelte:head>
<div class="narrow">
	<p
		class="state"
		role="status"
		data-waiting={work.waiting.length}
		data-kept={pageKept}
		class:away={!online || work.cutOff}
	>
		{#if work.sending}Sending …{:else if work.waiting.length > 0}{counted(
				work.waiting.length,
				'thing waits',
				'things wait'
			)} to be sent{!online || work.cutOff
				? '; there is no signal. It is kept here.'
				: '.'}{:else if !online}No signal. What you do is kept here and sent later.{:else}Nothing waits to be
			sent.{/if}
	</p>
	<FormWords {form} />
	{#each data.conflicts as conflict (conflict.id)}
		<section class="sheet mt-3 border-l-4 !border-l-[var(--brick)] p-3" aria-label="Decide">
			<h2>Decide: {conflict.positionName} at {conflict.siteName}</h2>
			<p class="mt-1">You scanned <Serial serial={conflict.serial} />. Meanwhile: {conflict.words}</p>
			<form method="POST" action="?/settle" use:act class="mt-2 flex flex-wrap gap-2">
				<input type="hidden" name="conflict" value={conflict.id} />
				<Button type="submit" name="choice" value="mine" class="big">Mine is there</Button>
				<Button type="submit" name="choice" value="theirs" color="alternative" class="big"
					>Leave it as it is</Button
				>
			</form>
		</section>
	{/each}
	{#each work.refused as { entry, words } (entry.id)}
		<section class="sheet mt-3 p-3" aria-label="Not taken">
			<p>
				<b>Not taken:</b>
				{entry.kind === 'bind' ? entry.serial : entry.kind === 'note' ? `“${entry.text}”` : 'a photo'}. {words}
			</p>
			<Button size="sm" color="alternative" class="mt-2" onclick={() => void work.letGo(entry.id)}
				>I have read it</Button
			>
		</section>
	{/each}

	{#if site}
		<SiteOfDay {site} {day} {work} {online} back={() => open(null)} />
	{:else}
		<h1 class="mt-3">Your sites</h1>
		{#if day.sites.length === 0}
			<p class="sheet mt-3 p-4">
				You have no appointment in the next seven days. Open a <a href="/sites" class="underline">site</a> and take
				it along.
			</p>
		{/if}
		<ol class="mt-2">
			{#each day.sites as one, index (one.id)}
				{@const standing = siteStanding(
					one.positions.map((position) => position.standing),
					one.proof
				)}
				{@const bring = toBring(one)}
				{@const missing = missingOnTheWay(one)}
				{@const map = mapLink(one)}
				{#if dateOf(one) !== (index > 0 ? dateOf(day.sites[index - 1]!) : null)}<li class="mt-4">
						<h2>{dateOf(one)}</h2>
					</li>{/if}
				<li class="sheet mt-2 p-4" data-site={one.name}>
					<p class="quiet">{timeOf(one)}{wayTo(index)}</p>
					<p class="flex items-baseline justify-between gap-3">
						<a href="#{one.id}" class="text-lg font-bold">{one.name}</a><Standing
							standing={standing.word}
							word={siteWords(standing.word)}
						/>
					</p>
					<p>{one.address}</p>
					<div class="mt-2 flex flex-wrap gap-2">
						{#if map}<Button href={map} color="alternative" class="big"
								><MapPinOutline class="me-1 h-5 w-5" />Map</Button
							>{/if}
						{#if phoneOf(one)}<Button href="tel:{phoneOf(one)}" color="alternative" class="big"
								><PhoneOutline class="me-1 h-5 w-5" />Call {one.contact.split(',')[0] || 'the site'}</Button
							>{/if}
						<Button href="#{one.id}" class="big">Work there</Button>
					</div>
					{#if bring.length > 0}<p class="mt-2"><b>Bring</b></p>
						<ul>
							{#each bring as item (item.position)}<li>
									{item.position}:
									{#if item.serial}<Serial serial={item.serial} />{:else}<span class="quiet"
											>a {item.roleName}, none chosen yet</span
										>{/if}
								</li>{/each}
						</ul>
						<form method="POST" action="/sites/cards" target="_blank" class="mt-1">
							<input type="hidden" name="site" value={one.id} />
							<button class="link" disabled={!online}
								>{online ? 'Its card, to print' : 'Its card: printing needs signal'}</button
							>
						</form>{/if}
					{#if missing.length > 0}<p class="mt-2 font-semibold text-[var(--amber)]">
							Not known: {missing.join(', ')}.
						</p>{/if}
				</li>
			{/each}
		</ol>
		<p class="quiet mt-4">
			Seen {hourOf(day.madeAt)}{clock.now - day.madeAt > 3_600_000 ? ', a while ago' : ''}. This page opens
			without signal too; put it on the home screen.
		</p>
	{/if}
</div>

<style>
	.narrow {
		max-width: 34rem;
		margin: 0 auto;
	}
	.state {
		padding: 0.4rem 0.75rem;
		border-radius: 6px;
		border: 1px solid var(--hairline);
	}
	.away {
		border-color: var(--amber);
		font-weight: 600;
	}
</style>
