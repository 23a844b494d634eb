<script lang="ts">
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import { SiteMap } from '$ui/charts';
	import { lasting, Standing, weekdayOf } from '$ui/marks';

	/** For somebody four metres away: it keeps up by itself, and says when it does not. */
	let { data } = $props();
	let wall = $derived(data.wall);
	let ended = $state(false);
	let heardAt = $state(Date.now());
	let now = $state(Date.now());
	let height = $state(800);
	const EVERY_MS = 5_000;
	const STALE_MS = 30_000;
	/** So much larger is the map drawn, to be read from afar. */
	const ZOOM = 1.7;
	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
		const theme = page.url.searchParams.get('theme');
		if (theme === 'dark' || theme === 'light')
			document.documentElement.classList.toggle('dark', theme === 'dark');
		heardAt = now = Date.now();
		const clock = setInterval(() => (now = Date.now()), 1_000);
		const asking = setInterval(async () => {
			const answer = await fetch(`/wall/${data.token}/now`).catch(() => null);
			ended = answer?.status === 404;
			if (!answer?.ok) return;
			wall = await answer.json();
			heardAt = Date.now();
		}, EVERY_MS);
		return () => {
			clearInterval(clock);
			clearInterval(asking);
		};
	});
	const stale = $derived(now - heardAt > STALE_MS);
	const numbers = $derived([
		{ count: wall.counts.stuck, word: 'stuck', standing: 'stuck' as const },
		{ count: wall.counts.notHeard, word: 'not heard', standing: 'not-heard' as const },
		{ count: wall.counts.late, word: 'late', standing: 'late' as const },
		{ count: wall.counts.drift, word: 'drifted', standing: 'waiting' as const },
		{ count: wall.counts.moving, word: 'on their way', standing: 'moving' as const }
	]);
	const time = $derived(new Date(now).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' }));
	const heard = $derived(
		new Date(heardAt).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
	);
</script>

<svelte:head><title>{wall.title}</title></svelte:head>
<svelte:window bind:innerHeight={height} />
<main id="content" class="wall">
	{#if ended || stale}<p class="old" role="alert">
			{ended ? 'This screen has ended.' : `Not up to date: last heard of Limen at ${heard}.`}
		</p>{/if}
	<header>
		<h1>{wall.title}</h1>
		<p><b>{wall.sites.online}</b> of {wall.sites.all} sites online</p>
		<p class="clock">{time}</p>
	</header>
	<ul class="numbers" aria-label="How many units">
		{#each numbers as { count, word, standing } (word)}<li class:none={count === 0} data-count={word}>
				<span class="count">{count}</span>
				<Standing {standing} {word} />
			</li>{/each}
	</ul>
	<section class="map" aria-label="Where" style:zoom={ZOOM}>
		<SiteMap
			sites={wall.map}
			title="Where"
			isStill
			landAt="/wall/{data.token}/land"
			height={Math.max(240, (height * 0.68) / ZOOM)}
		/>
	</section>
	<section aria-label="Needs a person">
		<h2>Needs a person</h2>
		{#if wall.needs.length === 0}<p class="fine">Nothing. All that should be there is.</p>{/if}
		<ul>
			{#each wall.needs as { id, where, word, standing, since } (id)}<li data-need={where}>
					<b>{where}</b>
					<Standing {standing} {word} />
					<span class="since">{lasting(Math.max(0, (now - since) / 1000))}</span>
				</li>{/each}
		</ul>
		{#if wall.due.length > 0}
			<h2>Appointments</h2>
			<ul>
				{#each wall.due as { id, name, at, zone, word } (id)}<li>
						<b>{name}</b>
						<Standing standing={word} word={word === 'open' ? 'not begun' : word.replaceAll('-', ' ')} />
						<span class="since">{weekdayOf(new Date(at), zone)}</span>
					</li>{/each}
			</ul>{/if}
	</section>
</main>

<style>
	.wall {
		display: grid;
		grid-template: auto auto 1fr / minmax(0, 9fr) minmax(0, 10fr);
		gap: 1.2vw 2vw;
		height: 100vh;
		overflow: hidden;
		padding: 1.4vw 2vw;
		font-size: clamp(14px, 1.5vw, 60px);
	}
	.old {
		position: fixed;
		inset: 0 0 auto;
		z-index: 2;
		padding: 0.6vw 2vw;
		background: var(--brick);
		color: var(--sheet);
		font-size: 2.2vw;
		font-weight: 700;
	}
	header,
	.numbers {
		grid-column: 1 / -1;
	}
	header {
		display: flex;
		align-items: baseline;
		gap: 3vw;
	}
	h1 {
		font-size: 2.8vw;
	}
	header p {
		font-size: 2.1vw;
	}
	.clock {
		margin-left: auto;
		font-variant-numeric: tabular-nums;
	}
	.numbers {
		display: grid;
		grid-template-columns: repeat(5, 1fr);
		gap: 1.4vw;
	}
	.numbers li {
		padding: 0.8vw 1.2vw;
		background: var(--sheet);
		border: 1px solid var(--hairline);
		border-radius: 8px;
	}
	.count {
		display: block;
		font-size: 5vw;
		line-height: 1.05;
		font-weight: 700;
		font-variant-numeric: tabular-nums;
	}
	.numbers :global(svg),
	section li :global(svg) {
		width: 1.1em;
		height: 1.1em;
	}
	/* What there is none of alarms nobody, and is read from as far away as the rest */
	.none,
	.none :global(*) {
		color: var(--quiet);
	}
	h2 {
		font-size: 1.8vw;
		margin: 0 0 0.4vw;
	}
	ul + h2 {
		margin-top: 1.4vw;
	}
	section li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto 9vw;
		gap: 1.2vw;
		align-items: center;
		padding: 0.55vw 0;
		border-bottom: 1px solid var(--hairline);
	}
	section b {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.since {
		text-align: right;
		font-variant-numeric: tabular-nums;
	}
	.fine {
		font-size: 2vw;
	}
	.map {
		min-height: 0;
	}
</style>
