<script lang="ts">
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { COMPARED, FIGURES, keyWords, readKey, spanQuery, type Span } from '$core/health';
	import { FigureTable, SeriesChart, SpanTabs, UptimeMark } from '$ui/health';
	import { FormField, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['health', 'units'], { rest: 20_000 }));
	const withQuery = (more: Record<string, string>) => {
		const query = new URLSearchParams(page.url.searchParams);
		for (const [name, value] of Object.entries(more)) query.set(name, value);
		return `?${query}`;
	};
	const zoom = ({ from, to }: Span) =>
		void goto(withQuery({ from: String(from), to: String(to) }), { noScroll: true, keepFocus: true });
	const ofUnit = (unitId: string) => data.series.filter((one) => one.unitId === unitId);
	const isTable = $derived(page.url.searchParams.get('as') === 'table');
</script>

<PageHead title="How {data.site.name} does">
	{#snippet state()}{#if data.uptime}<UptimeMark uptime={data.uptime} />{/if}{/snippet}
	{#snippet about()}<a href="/sites/{data.site.id}">The site</a><a
			href="/upkeep/health?{spanQuery(data.span)}">All sites</a
		>{/snippet}
</PageHead>
<SpanTabs span={data.span} zone={data.site.timeZone} />
{#if data.units.length === 0}
	<p class="sheet mt-4 p-6">None of its units has come online yet.</p>
{:else}
	<div class="mt-3 max-w-xs">
		<FormField
			label="Shown of each unit"
			kind="select"
			name="figure"
			value={data.figure}
			onchange={(event: Event) =>
				void goto(withQuery({ figure: (event.currentTarget as HTMLSelectElement).value }), {
					noScroll: true,
					keepFocus: true
				})}
		>
			{#each COMPARED as figure (figure)}<option value={figure}>{FIGURES[figure].words}</option>{/each}
		</FormField>
	</div>
	{#if isTable}<FigureTable
			rows={data.units.flatMap(({ unitId, positionName }) =>
				ofUnit(unitId).map((one) => ({
					...one,
					id: `${unitId} ${one.key}`,
					name: `${positionName}, ${keyWords(one.key)}`
				}))
			)}
		/>
	{:else}
		<div class="mt-3 grid gap-3 lg:grid-cols-2">
			{#each data.units as unit (unit.unitId)}
				{@const lines = ofUnit(unit.unitId)}
				<section class="sheet min-w-0 p-3" aria-label={unit.positionName}>
					<h2 class="flex flex-wrap items-baseline gap-x-3 text-base">
						<a href="/units/{unit.unitId}/health?{spanQuery(data.span)}">{unit.positionName}</a>
						{#if unit.isAway}<Standing standing="not-heard" word="not heard" />{/if}
						<span class="text-sm font-normal"><UptimeMark uptime={unit.uptime} /></span>
					</h2>
					{#if lines.length === 0}<p class="quiet mt-2">It says nothing of this.</p>{:else}<SeriesChart
							title=""
							figure={data.figure}
							lines={lines
								.slice(0, 6)
								.map(({ key, points }) => ({ id: key, name: readKey(key)?.part ?? keyWords(key), points }))}
							span={data.span}
							grain={data.grain}
							zone={data.site.timeZone}
							away={unit.absences}
							height={110}
							onzoom={zoom}
						/>{/if}
				</section>
			{/each}
		</div>
	{/if}
{/if}
