<script lang="ts">
	import { When } from '$ui/marks';
	let { data } = $props();
</script>

<svelte:head><title>Records · Limen</title></svelte:head>
<h1>Records</h1>
<p class="quiet mt-1">Who did what, and when. Nothing here is ever changed or removed.</p>
<p class="mt-3 flex flex-wrap gap-x-5">
	<a href="/records" class:font-bold={data.act === null}>everything</a>
	{#each data.acts as act (act)}<a
			href="/records?act={encodeURIComponent(act)}"
			class:font-bold={data.act === act}>{act}</a
		>{/each}
</p>
{#if data.entries.length === 0}<p class="sheet mt-3 p-6">Nothing is recorded yet.</p>{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead><tr><th>When</th><th>Who</th><th>Act</th><th>What</th><th>From</th></tr></thead>
			<tbody>
				{#each data.entries as entry (entry.id)}
					<tr
						><td class="quiet"><When at={entry.at} /></td><td>{entry.actor}</td><td>{entry.act}</td><td
							class="whitespace-pre-line"
							>{#if entry.subjectKind === 'unit'}<a href="/units/{entry.subjectId}">{entry.words}</a
								>{:else}{entry.words}{/if}</td
						><td class="mono quiet">{entry.address ?? ''}</td></tr
					>
				{/each}
			</tbody>
		</table>
	</div>
	{#if data.older}<p class="mt-3">
			<a href="/records?before={data.older}{data.act ? `&act=${encodeURIComponent(data.act)}` : ''}">Older</a>
		</p>{/if}
{/if}
