<script lang="ts">
	import { ConfigText } from '$ui/config';
	import { When } from '$ui/marks';
	import { RecordsOf } from '$ui/people';
	let { data } = $props();
</script>

<svelte:head><title>{data.profile.name} · Limen</title></svelte:head>
<h1>{data.profile.name}</h1>
<p class="quiet mt-1">
	{data.profile.roleName} · {data.profile.dialect} dialect · {data.profile.positions} positions follow it
</p>
<p class="mt-1"><RecordsOf what="this profile" id={data.profile.id} /></p>
<div class="two mt-4">
	<div>
		<h2>Revisions</h2>
		<ul class="sheet mt-2">
			{#each data.revisions as revision (revision.id)}
				<li class="border-b border-[var(--hairline)] px-4 py-2 last:border-0">
					<a
						href="?revision={revision.number}"
						aria-current={revision.id === data.chosen?.id ? 'true' : undefined}
						class="font-semibold">Revision {revision.number}</a
					>
					<span class="quiet"
						>{revision.state}{#if revision.releasedAt}&nbsp;<When at={revision.releasedAt} />{/if}</span
					>
					<div>{revision.note}</div>
				</li>
			{/each}
		</ul>
		{#if data.chosen}
			<h2 class="mt-5">Firmware</h2>
			<p class="mono mt-1">{data.chosen.targetVersion ?? 'any version'}</p>
			<h2 class="mt-5">Values given here</h2>
			<dl class="facts mt-1">
				{#each data.chosen.values as { name, value } (name)}<dt class="mono">{name}</dt>
					<dd class="mono">{value}</dd>{:else}<dt>none</dt>
					<dd></dd>{/each}
			</dl>
		{/if}
	</div>
	{#if data.chosen}
		<div>
			<h2>Text</h2>
			{#each data.chosen.problems as problem, index (index)}<p
					class="font-semibold text-[var(--brick)]"
					role="alert"
				>
					Line {problem.line}, column {problem.column}: {problem.message}
				</p>{/each}
			<ConfigText
				text={data.chosen.text}
				label="Text of revision {data.chosen.number}"
				mark={data.chosen.problems[0]?.line ?? null}
			/>
			{#if data.chosen.preScript}<h2 class="mt-5">Script before</h2>
				<ConfigText text={data.chosen.preScript} label="Script before" />{/if}
			{#if data.chosen.postScript}<h2 class="mt-5">Script after</h2>
				<ConfigText text={data.chosen.postScript} label="Script after" />{/if}
		</div>
	{/if}
</div>

<style>
	.two {
		display: grid;
		grid-template-columns: minmax(15rem, 22rem) minmax(0, 1fr);
		gap: 1.5rem;
		align-items: start;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
