<script lang="ts">
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { needsPerson, standingWords } from '$core/onboarding';
	import {
		Board,
		FailureGroups,
		Crossing,
		ExpectedEnd,
		RunActions,
		standingOfRow,
		Track,
		type BoardPage,
		type BoardRow
	} from '$ui/arrivals';
	import { Callers } from '$ui/door';
	import { Grid, type GridColumn } from '$ui/grid';
	import { PageHead } from '$ui/kit';
	import { listen, oneByOne, refresher } from '$ui/live';
	import { clock, duration, exactly, Serial, Standing } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();

	// svelte-ignore state_referenced_locally (what came with the page is where the board begins)
	const board = new Board(data.rows, data.counts);
	let live = $state(false);

	const shown = $derived(
		(data.week ?? board.rows).filter((row) => {
			if (data.group) return row.signatureId === data.group && row.outcome === 'failed';
			if (data.at === null || row.step === data.at) return true;
			const standing = standingOfRow(row, clock.now);
			if (data.at === 'person') return needsPerson(standing);
			return standing === data.at || (data.at === 'moving' && standing === 'late');
		})
	);
	const total = $derived(Object.values(board.counts.steps).reduce((sum, count) => sum + count, 0));
	const { stuck, stalled, late, through } = $derived(board.counts.standings);
	const wanting = $derived(stuck + stalled);
	const SHOWN: Readonly<Record<string, string>> = {
		person: 'needs a person',
		moving: 'under way',
		waiting: 'not heard yet',
		online: 'came through'
	};
	const hrefOf = (at: string | null) => (at ? `/arrivals?at=${at}` : '/arrivals');

	async function pageAfter(after: string | null): Promise<BoardPage> {
		const answer = await fetch(`/arrivals/rows${after === null ? '' : `?after=${after}`}`);
		if (!answer.ok) throw new Error('These rows cannot be had just now.');
		return answer.json();
	}

	/** So long is waited for the stream before what there is, is fetched without. */
	const UNHEARD_MS = 1_500;
	onMount(() => {
		live = true;
		// What failed in the same way is gathered anew; the rows come by themselves
		const gathered = refresher({ rest: 3000 });
		// What the screen holds is there; all that there is, and what changed before the stream began, comes once that is open
		const rows = oneByOne(() => board.renew(pageAfter));
		const unheard = setTimeout(rows.refresh, UNHEARD_MS);
		const everything = () => {
			rows.refresh();
			gathered.refresh();
		};
		const deafen = listen(
			() => '/arrivals/stream?topics=callers,runs',
			{
				arrivals: (change) => board.change(change as Parameters<Board['change']>[0]),
				anew: rows.refresh,
				change: gathered.refresh
			},
			everything,
			() => {
				clearTimeout(unheard);
				// The page answers first
				requestIdleCallback(rows.refresh, { timeout: UNHEARD_MS });
			}
		);
		return () => {
			clearTimeout(unheard);
			rows.stop();
			gathered.stop();
			deafen();
		};
	});

	const COLUMNS: readonly GridColumn[] = [
		{ id: 'place', title: 'Where', width: 14, grows: true },
		{ id: 'unit', title: 'Unit', width: 11, wide: true },
		{ id: 'track', title: 'On its way', width: 7.8, wide: true },
		{ id: 'state', title: 'How it stands', width: 17.2 },
		{ id: 'time', title: 'How long', width: 11.4, wide: true },
		{ id: 'words', title: 'What it said', width: 12, grows: true, wide: true },
		{ id: 'act', title: 'What helps', width: 12.2, wide: true }
	];
	const LACKS = { image: 'its image is gone', connection: 'it has lost its connection' };
	let active = $state(0);
	const wordsOf = (row: BoardRow) =>
		(row.lacks && LACKS[row.lacks]) ??
		row.failureWords ??
		(row.wrongCode > 0 && row.step === 'bound'
			? `called ${counted(row.wrongCode, 'time')} with a wrong claim code`
			: [row.lastType, row.lastWords].filter(Boolean).join(': '));
</script>

<PageHead title="Arrivals">
	{#snippet state()}
		<nav class="flex flex-wrap items-baseline gap-x-4" aria-label="Which are shown">
			<a href={hrefOf(null)} aria-current={data.at ? undefined : 'true'}>{total} on the board</a>
			{#if wanting > 0}<a href={hrefOf('person')} aria-current={data.at === 'person' ? 'true' : undefined}
					><Standing standing="stuck" word="{counted(wanting, 'needs', 'need')} a person" /></a
				>{/if}
			{#if late > 0}<a href={hrefOf('late')} aria-current={data.at === 'late' ? 'true' : undefined}
					><Standing standing="late" word="{late} late" /></a
				>{/if}
			<a href={hrefOf('online')} aria-current={data.at === 'online' ? 'true' : undefined}
				><Standing standing="through" word="{through} through in 24 hours" /></a
			>
			<a href="/arrivals?through=week" aria-current={data.week ? 'true' : undefined}>through this week</a>
			<a href="/arrivals/normal">how long it takes</a>
			<a href="/arrivals/rollouts">rollouts</a>
			{#if data.group}<span>showing <b>one failure</b>, <a href={hrefOf(null)}>show all</a></span>{/if}
			{#if data.at && !['person', 'late', 'online'].includes(data.at)}<span
					>showing <b>{SHOWN[data.at] ?? data.at}</b>,
					<a href={hrefOf(null)}>show all</a></span
				>{/if}
		</nav>
	{/snippet}
</PageHead>
<div class="mt-2"><Crossing counts={board.counts.steps} chosen={data.at} {hrefOf} /></div>
<FormWords {form} />
<FailureGroups
	groups={data.groups}
	chosen={data.group}
	hrefOf={(id) => (id ? `/arrivals?same=${id}` : '/arrivals')}
/>

{#if total === 0}
	<p class="sheet mt-4 p-6">
		Nothing is on its way. <a href="/sites">Choose a site</a> and bind a unit to one of its positions, or look
		at
		<a href="/units?standing=online">the units that are online</a>.
	</p>
{:else}
	<div class="mt-3" data-live={live}>
		<Grid
			label="Units on their way"
			columns={COLUMNS}
			count={shown.length}
			row={44}
			bind:active
			onopen={(index) => shown[index] && void goto(`/units/${shown[index].unitId}`)}
			about={(index) => {
				const row = shown[index];
				if (!row) return {};
				return {
					class: board.fresh.has(row.runId) ? 'freshly-changed' : '',
					'data-run': row.runId,
					'data-serial': row.serial,
					'data-step': row.step,
					'data-standing': standingOfRow(row, clock.now)
				};
			}}
		>
			{#snippet cell(index, { id })}
				{@const row = shown[index]}
				{#if row}
					{@const standing = standingOfRow(row, clock.now)}
					{#if id === 'place'}<a href="/sites/{row.siteId}?position={row.positionId}" class="font-semibold"
							>{row.siteName}</a
						> <span class="quiet max-sm:block">{row.positionName}</span>
					{:else if id === 'unit'}<a href="/units/{row.unitId}"><Serial serial={row.serial} /></a>
					{:else if id === 'track'}<Track step={row.step} {standing} />
					{:else if id === 'state'}<Standing {standing} word={standingWords(standing, row.step)} />
					{:else if id === 'time'}{#if row.ends && row.step !== 'bound' && standing !== 'stalled'}<ExpectedEnd
								ends={row.ends}
								from={row.calledAt}
								brief
							/>{:else}<span class="quiet" title={exactly(row.since)}
								>for {duration(clock.now - row.since)}</span
							>{/if}
					{:else if id === 'words'}{wordsOf(row)}
					{:else if needsPerson(standing)}<RunActions arrival={row} brief />{/if}
				{/if}
			{/snippet}
		</Grid>
	</div>
{/if}

<section class="mt-5">
	<h2>At the door</h2>
	<Callers callers={data.callers} away={data.away} />
</section>
