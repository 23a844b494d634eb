<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	const filter = $derived(data.filter);
	const narrowed = $derived(
		[filter.act, filter.actor, filter.text, filter.subjectId, filter.from, filter.to].some(Boolean)
	);
	/** This page's address with one thing changed. */
	const withQuery = (name: string, value: string) => {
		const query = new URLSearchParams(page.url.searchParams);
		query.set(name, value);
		return `?${query}`;
	};
	const WHERE: Record<string, string | undefined> = $derived({
		unit: '/units/',
		site: '/sites/',
		profile: '/profiles/',
		...(mayDo('manage people') && { person: '/people?person=' })
	});
</script>

<svelte:head><title>Records · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Records</h1>
	<a href="/records/csv{data.query}" download>Download as CSV</a>
</div>
<p class="quiet mt-1">Who did what, and when. Nothing here is ever changed or removed.</p>
<form class="filters mt-3" action="/records">
	<label
		>Act
		<select name="act" class="field" value={filter.act ?? ''}>
			<option value="">every act</option>
			{#each data.acts as act (act)}<option value={act}>{act}</option>{/each}
		</select></label
	>
	<label>Who <input name="who" class="field" value={filter.actor ?? ''} maxlength="100" /></label>
	<label
		>What <input
			name="text"
			class="field"
			value={filter.text ?? ''}
			maxlength="100"
			placeholder="serial, site, words"
		/></label
	>
	<label>From <input name="from" type="date" class="field" value={filter.from ?? ''} /></label>
	<label>Until <input name="to" type="date" class="field" value={filter.to ?? ''} /></label>
	{#if filter.subjectId}<input type="hidden" name="thing" value={filter.subjectId} />{/if}
	<Button type="submit" size="sm">Show records</Button>
	{#if narrowed}<a href="/records">Show everything</a>{/if}
</form>
{#if data.entries.length === 0}<p class="sheet mt-3 p-6">
		{narrowed ? 'Nothing is recorded that fits.' : 'Nothing is recorded yet.'}
	</p>{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead><tr><th>No.</th><th>When</th><th>Who</th><th>Act</th><th>What</th><th>From</th></tr></thead>
			<tbody>
				{#each data.entries as entry (entry.id)}
					<tr>
						<td class="quiet">{entry.id}</td>
						<td class="quiet whitespace-nowrap"><When at={entry.at} /></td>
						<td class="whitespace-nowrap">{entry.actor}</td>
						<td class="whitespace-nowrap"
							>{entry.act}{#if entry.result === 'refused'}, <b>refused</b>{/if}</td
						>
						<td class="whitespace-pre-line"
							>{#if WHERE[entry.subjectKind]}<a href="{WHERE[entry.subjectKind]}{entry.subjectId}"
									>{entry.words}</a
								>{:else}{entry.words}{/if}{#if entry.reason}
								<div class="quiet">Why: {entry.reason}</div>{/if}{#if entry.before || entry.after}
								<details class="inline">
									<summary class="quiet inline cursor-pointer">before and after</summary>
									<pre class="config-text">{JSON.stringify(
											{ before: entry.before, after: entry.after },
											null,
											2
										)}</pre>
								</details>{/if}</td
						>
						<td class="mono quiet">{entry.address ?? ''}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
	{#if data.older}<p class="mt-3"><a href={withQuery('before', data.older)}>Older</a></p>{/if}
{/if}

<style>
	.filters {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.8rem;
	}
	.filters label {
		min-width: 9rem;
		color: var(--quiet);
	}
</style>
