<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { ALERT_KINDS, SEVERITIES, severityWord } from '$core/events';
	import { counted } from '$core/text';
	import { UpkeepRooms } from '$ui/drift';
	import { act } from '$ui/forms';
	import { DateField, FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['events', 'alerts'], { rest: 1000 }));
	const wanted = (changes: Readonly<Record<string, string>>) => {
		const query = new URLSearchParams(page.url.search);
		for (const [name, value] of Object.entries(changes)) query.set(name, value);
		return `?${query}`;
	};
</script>

<PageHead title={data.unit ? `What ${data.unit.serial} said` : 'Alerts and events'}>
	{#snippet name()}{#if data.unit}What <Serial serial={data.unit.serial} /> said{:else}Alerts and events{/if}{/snippet}
	{#snippet acts()}{#if data.unit}<Button href="/units/{data.unit.id}" size="sm" color="alternative"
				>Back to the unit</Button
			>{/if}<Button href="/upkeep/alerts/rules" size="sm" color="alternative">Alert rules</Button>{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<FormWords {form} />

<section class="mt-4">
	<h2 id="alerts">Alerts</h2>
	{#if data.alerts.length === 0 && data.isFirst}<p class="quiet mt-1">
			Nothing goes on that a person should see.
		</p>{/if}
	<ul class="sheet mt-2 empty:hidden" aria-labelledby="alerts">
		{#each data.alerts as alert (alert.id)}
			<li data-alert={alert.id}>
				<div>
					<p class="flex flex-wrap items-center gap-x-3">
						<Standing standing={alert.seenAt ? 'late' : 'stuck'} word={ALERT_KINDS[alert.kind]} />
						<a class="font-bold" href="/upkeep/alerts/{alert.id}">{alert.where ?? 'in no place'}</a>
						<span class="quiet"
							>since <When at={alert.beganAt} />{#if alert.times > 1}, {counted(alert.times, 'time')}, last <When
									at={alert.lastAt}
								/>{/if}</span
						>
					</p>
					<p class="mt-0.5">{alert.words}</p>
					{#if alert.seenAt}<p class="quiet">
							{alert.owner ? `${alert.owner} takes care of it; seen` : `Seen by ${alert.seenBy}`}
							<When at={alert.seenAt} />{#if alert.notes > 0}, {counted(alert.notes, 'note')}{/if}.
						</p>{/if}
				</div>
				{#if !alert.seenAt && mayDo('prove', alert.customerId)}<form method="POST" action="?/see" use:act>
						<input type="hidden" name="alert" value={alert.id} />
						<Button type="submit" size="xs" color="alternative">Seen</Button>
					</form>{/if}
			</li>
		{/each}
	</ul>
	{#if data.alertsAfter}<p class="mt-2">
			<a href={wanted({ after: data.alertsAfter })}>earlier ones that go on</a>
		</p>{/if}
	{#if !data.isFirst}<p class="mt-2"><a href={wanted({ after: '' })}>the latest ones</a></p>{/if}
	{#if data.ended.length > 0}
		<h3 class="mt-3 font-semibold">Ended</h3>
		<ul class="mt-1">
			{#each data.ended as alert (alert.id)}<li class="ended">
					<p>
						<a href="/upkeep/alerts/{alert.id}">{alert.where}</a>: {alert.words}
						<span class="quiet"><When at={alert.beganAt} /> to <When at={alert.endedAt!} /></span>
					</p>
				</li>{/each}
		</ul>
	{/if}
</section>

<section class="mt-5">
	<h2>
		What units said{#if data.site}&#32;at <a href="/sites/{data.site.id}">{data.site.name}</a>{/if}
	</h2>
	<form method="GET" class="mt-2 flex flex-wrap items-end gap-4">
		{#if data.unit}<input type="hidden" name="unit" value={data.unit.id} />{/if}
		{#if data.site}<input type="hidden" name="site" value={data.site.id} />{/if}
		<FormField label="With these words" name="text" stored={data.text} class="min-w-52" autocomplete="off" />
		<FormField
			label="Severity at least"
			kind="select"
			name="severity"
			stored={data.severity}
			items={[...SEVERITIES].reverse().map((value) => ({ value, name: value }))}
		/>
		<DateField label="From (UTC)" name="since" value={data.since} zone="UTC" />
		<DateField label="Until (UTC)" name="until" value={data.until} zone="UTC" />
		<Button type="submit" size="sm" color="alternative">Show</Button>
		{#if data.isSome}<a class="py-2" href={data.unit ? `?unit=${data.unit.id}` : '?'}>All again</a>{/if}
	</form>
	{#if data.events.length === 0}
		<p class="sheet mt-3 p-6">
			{data.isSome
				? 'Nothing of that kind was said.'
				: 'No unit has said anything yet. Units say what happens to them when their configuration names Limen as their log server.'}
		</p>
	{:else}
		<Table classes={{ div: 'mt-3' }}>
			<TableHead
				><TableHeadCell>When</TableHeadCell>{#if !data.unit}<TableHeadCell>Unit</TableHeadCell
					>{/if}<TableHeadCell>Severity</TableHeadCell><TableHeadCell>What it said</TableHeadCell></TableHead
			>
			<TableBody>
				{#each data.events as event (event.id)}
					<TableBodyRow
						><TableBodyCell class="whitespace-nowrap"><When at={event.at} /></TableBodyCell
						>{#if !data.unit}<TableBodyCell class="sm:min-w-64"
								><a href="?unit={event.unitId}">{event.where ?? event.serial}</a></TableBodyCell
							>{/if}<TableBodyCell
							><span class:grave={event.severity <= 3}>{severityWord(event.severity)}</span></TableBodyCell
						><TableBodyCell
							><span class="mono text-sm break-words">{event.app}{event.app ? ': ' : ''}{event.words}</span
							>{#if event.isChange}<span class="quiet block"
									>It was configured{event.byWhom ? ` by ${event.byWhom}` : ''}.</span
								>{/if}{#if event.form === 'rfc3164'}<span class="quiet block">In the older form.</span
								>{/if}</TableBodyCell
						></TableBodyRow
					>
				{/each}
			</TableBody>
		</Table>
		{#if data.events.length === data.atOnce}<p class="mt-2">
				<a href={wanted({ before: data.events.at(-1)!.id })}>earlier ones</a>
			</p>{/if}
	{/if}
</section>

<style>
	li[data-alert] {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.3rem 1.2rem;
		align-items: start;
	}
	.ended {
		padding: 0.15rem 0;
	}
	.grave {
		font-weight: 700;
		color: var(--brick);
	}
</style>
