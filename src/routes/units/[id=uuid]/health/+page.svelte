<script lang="ts">
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { Button } from 'flowbite-svelte';
	import { keyWords, readKey, spanQuery, type Span } from '$core/health';
	import { FigureTable, SeriesChart, SpanTabs, UptimeMark } from '$ui/health';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['health'], { rest: 20_000 }));
	const zoom = ({ from, to }: Span) =>
		void goto(`?from=${from}&to=${to}`, { noScroll: true, keepFocus: true });
	/** A part is named by itself: its chart says what of it. */
	const nameOf = (key: string) => readKey(key)?.part ?? keyWords(key);
	const file = $derived(`/units/${data.unit.id}/health/file?from=${data.span.from}&to=${data.span.to}`);
</script>

<PageHead title="How {data.unit.serial} does">
	{#snippet name()}How <Serial serial={data.unit.serial} /> does{/snippet}
	{#snippet state()}<UptimeMark uptime={data.uptime} />{/snippet}
	{#snippet acts()}<Button href={file} download size="sm" color="alternative">Download as CSV</Button
		>{/snippet}
	{#snippet about()}<a href="/units/{data.unit.id}">The unit</a>{#if data.unit.siteId}<a
				href="/sites/{data.unit.siteId}/health?{spanQuery(data.span)}">Its site</a
			>{/if}<span>{data.unit.makerName} {data.unit.modelName}, {data.unit.roleName}</span>{/snippet}
</PageHead>
<SpanTabs span={data.span} zone={data.zone} />
{#if data.isTable}
	<FigureTable rows={data.rows.map((one) => ({ ...one, id: one.key, name: keyWords(one.key) }))} />
{:else if data.charts.length === 0}
	<p class="sheet mt-4 p-6">
		Nothing is known of this time. A unit that came online is asked every five minutes, where its maker’s pack
		says how.
	</p>
{:else}
	<div class="mt-3 grid gap-3 lg:grid-cols-2">
		{#each data.charts as { title, figure, series, more } (title)}
			<section class="sheet min-w-0 p-3" aria-label={title}>
				<SeriesChart
					{title}
					{figure}
					lines={series.map(({ key, points }) => ({ id: key, name: nameOf(key), points }))}
					span={data.span}
					grain={data.grain}
					zone={data.zone}
					away={data.absences}
					onzoom={zoom}
				/>
				{#if more > 0}<p class="quiet">And {more} that carry less; the table has all.</p>{/if}
			</section>
		{/each}
	</div>
{/if}
