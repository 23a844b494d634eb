<script lang="ts">
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { goto } from '$app/navigation';
	import { Board, Crossing, standingOfRow, Track, type BoardRow } from '$ui/arrivals';
	import { Callers } from '$ui/door';
	import { listen, refreshOn } from '$ui/live';
	import { clock, duration, Serial, Standing } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();

	// svelte-ignore state_referenced_locally (what came with the page is where the board begins)
	const board = new Board(data.rows, data.counts);
	const ROW = 44;
	const SPARE = 8;
	let scroller: HTMLElement | undefined = $state();
	let top = $state(0);
	let room = $state(600);
	let chosen = $state(0);
	let live = $state(false);

	const shown = $derived(
		board.rows.filter((row) => {
			if (data.at === null || row.step === data.at) return true;
			const standing = standingOfRow(row, clock.now);
			return standing === data.at || (data.at === 'moving' && standing === 'slow');
		})
	);
	const first = $derived(Math.max(0, Math.floor(top / ROW) - SPARE));
	const visible = $derived(shown.slice(first, first + Math.ceil(room / ROW) + 2 * SPARE));
	const total = $derived(Object.values(board.counts.steps).reduce((sum, count) => sum + count, 0));
	const { stuck, through } = $derived(board.counts.standings);
	const SHOWN: Readonly<Record<string, string>> = {
		stuck: 'needs a person',
		moving: 'under way',
		waiting: 'not heard yet',
		online: 'came through'
	};
	const hrefOf = (at: string | null) => (at ? `/arrivals?at=${at}` : '/arrivals');

	async function fetchRest(from: number) {
		for (let offset = from; ;) {
			const rows = (await fetch(`/arrivals/rows?offset=${offset}`).then((answer) =>
				answer.json()
			)) as BoardRow[];
			board.add(rows);
			offset += rows.length;
			if (rows.length < 500) return;
		}
	}

	onMount(() => {
		live = true;
		// What the screen holds is there; the rest can wait until the page has answered first
		if (data.rows.length < total)
			requestIdleCallback(() => void fetchRest(data.rows.length), { timeout: 1500 });
		const stops = [
			listen(
				'/arrivals/stream',
				{ arrivals: (change) => board.change(change as Parameters<Board['change']>[0]) },
				() => void fetchRest(0)
			),
			refreshOn(['callers'])
		];
		return () => stops.forEach((stop) => stop());
	});

	function keys(event: KeyboardEvent) {
		const step =
			event.key === 'j' || event.key === 'ArrowDown'
				? 1
				: event.key === 'k' || event.key === 'ArrowUp'
					? -1
					: 0;
		if (step !== 0) {
			event.preventDefault();
			chosen = Math.max(0, Math.min(shown.length - 1, chosen + step));
			if (scroller)
				scroller.scrollTop = Math.max(
					0,
					Math.min(scroller.scrollTop, chosen * ROW),
					(chosen + 1) * ROW - room
				);
		} else if (event.key === 'Enter' && event.target === scroller) {
			const row = shown[chosen];
			if (row) void goto(`/units/${row.unitId}`);
		}
	}

	const wordsOf = (row: BoardRow) =>
		row.failureWords ??
		(row.wrongCode > 0 && row.step === 'bound'
			? `called ${row.wrongCode} times with a wrong claim code`
			: [row.lastType, row.lastWords].filter(Boolean).join(': '));
</script>

<svelte:head><title>Arrivals · Limen</title></svelte:head>

<div class="flex flex-wrap items-baseline gap-x-6 gap-y-1">
	<h1>Arrivals</h1>
	<p class="quiet">
		<a href={hrefOf(null)}>{total} on the board</a>{#if stuck > 0}, <a
				href={hrefOf('stuck')}
				class="font-bold text-[var(--brick)]!">{counted(stuck, 'needs', 'need')} a person</a
			>{/if}, <a href={hrefOf('online')}>{through} came through in the last 24 hours</a>
	</p>
	{#if data.at}<p>
			Showing: <strong>{SHOWN[data.at] ?? data.at}</strong> <a href={hrefOf(null)}>show all</a>
		</p>{/if}
</div>

<div class="mt-2"><Crossing counts={board.counts.steps} chosen={data.at} {hrefOf} /></div>
<FormWords {form} />

{#if total === 0}
	<p class="sheet mt-4 p-6">
		Nothing is on its way. <a href="/sites">Choose a site</a> and bind a unit to one of its positions, or look
		at
		<a href="/units?standing=online">the units that are online</a>.
	</p>
{:else}
	<!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_no_noninteractive_tabindex (a list moved through by keys, as a grid is) -->
	<div
		class="sheet board mt-3"
		bind:this={scroller}
		bind:clientHeight={room}
		onscroll={() => (top = scroller?.scrollTop ?? 0)}
		onkeydown={keys}
		tabindex="0"
		role="region"
		aria-label="Units on their way"
		data-live={live}
	>
		<div style:height="{shown.length * ROW}px" class="relative">
			{#each visible as row, index (row.runId)}
				{@const standing = standingOfRow(row, clock.now)}
				<div
					class="row"
					class:freshly-changed={board.fresh.has(row.runId)}
					class:chosen={first + index === chosen}
					style:top="{(first + index) * ROW}px"
					data-run={row.runId}
					data-serial={row.serial}
					data-step={row.step}
					data-standing={standing}
				>
					<span class="place"
						><a href="/sites/{row.siteId}?position={row.positionId}" class="font-semibold">{row.siteName}</a>
						<span class="quiet">{row.positionName}</span></span
					>
					<span class="unit"><a href="/units/{row.unitId}"><Serial serial={row.serial} /></a></span>
					<span class="track"><Track step={row.step} {standing} /></span>
					<span class="state"
						><Standing
							{standing}
							word={standing === 'through'
								? 'online'
								: standing === 'stuck'
									? `stuck at ${row.step}`
									: standing === 'waiting'
										? 'not heard yet'
										: row.step}
						/></span
					>
					<span class="since quiet" title={new Date(row.since).toLocaleString('en-NZ')}
						>{duration(clock.now - row.since)}</span
					>
					<span class="words" title={wordsOf(row)}>{wordsOf(row)}</span>
					<span class="act">
						{#if row.outcome === 'failed' && mayDo('retry', row.customerId)}
							<form method="POST" action="?/retry" use:enhance>
								<input type="hidden" name="position" value={row.positionId} />
								<Button type="submit" size="sm" class="py-1" color="alternative">Try again</Button>
							</form>
						{/if}
					</span>
				</div>
			{/each}
		</div>
	</div>
{/if}

<section class="mt-5">
	<h2>At the door</h2>
	<Callers callers={data.callers} away={data.away} />
</section>

<style>
	.board {
		height: calc(100vh - 25rem);
		min-height: 21rem;
		overflow: auto;
	}
	.row {
		position: absolute;
		left: 0;
		right: 0;
		height: 44px;
		display: grid;
		grid-template-columns:
			minmax(11rem, 1.4fr) 10rem minmax(12.5rem, 1.2fr) 12.5rem 4.5rem minmax(8rem, 2fr)
			7rem;
		align-items: center;
		gap: 0.75rem;
		padding: 0 0.9rem;
		border-bottom: 1px solid var(--hairline);
		white-space: nowrap;
	}
	.row > * {
		overflow: hidden;
		text-overflow: ellipsis;
	}
	.board:focus-visible .chosen {
		background: var(--chosen);
	}
	.since {
		text-align: right;
	}
	@media (max-width: 1100px) {
		.row {
			grid-template-columns: minmax(9rem, 1.3fr) 9.5rem minmax(12.5rem, 1fr) 12.5rem 4.5rem 7rem;
		}
		.words {
			display: none;
		}
	}
	@media (max-width: 640px) {
		.board {
			height: auto;
			max-height: none;
			height: 60vh;
		}
		.row {
			grid-template-columns: 1fr auto;
			gap: 0 0.5rem;
			padding: 0 0.6rem;
			font-size: 0.9rem;
		}
		.unit,
		.track,
		.since {
			display: none;
		}
		.act {
			display: none;
		}
	}
</style>
