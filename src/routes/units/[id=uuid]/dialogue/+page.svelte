<script lang="ts">
	import { Button, Search } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { ERRAND_KINDS } from '$core/errand';
	import { counted, exactly, secondOf } from '$core/text';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['units']));

	const WHO = { limen: 'Limen', unit: 'the unit', note: 'note' } as const;
	const kilobytes = (bytes: number) => `${Math.ceil(bytes / 1000).toLocaleString('en')} kB`;
	const address = (before: string) =>
		`?${new URLSearchParams({ ...(data.text && { q: data.text }), before }).toString()}`;
</script>

<PageHead title="What was said to {data.unit.serial}">
	{#snippet name()}What was said to <Serial serial={data.unit.serial} />{/snippet}
	{#snippet acts()}<Button href="/units/{data.unit.id}/dialogue/file" download size="sm" color="alternative"
			>Download as text</Button
		>{/snippet}
	{#snippet about()}<span
			><a href="/units/{data.unit.id}">The unit’s page</a> · {counted(data.size.lines, 'line')} kept for 90 days,
			{kilobytes(data.size.bytes)}, of which {kilobytes(data.size.today)} in the last day · secrets are masked</span
		>{/snippet}
</PageHead>

<form class="mt-3 flex gap-2" role="search">
	<Search
		name="q"
		size="sm"
		class="max-w-96"
		value={data.text}
		placeholder="Words that were said"
		aria-label="Words that were said"
		maxlength={200}
	/>
	<Button type="submit" size="sm" color="alternative">Find</Button>
	{#if data.text || data.before}<Button href="?" size="sm" color="alternative">Show the newest</Button>{/if}
</form>

{#if data.lines.length === 0}<p class="sheet mt-4 p-6">
		{data.text
			? `Nothing that was said holds “${data.text}”.`
			: 'Nothing was said yet. Limen talks to a unit once it has dialled home.'}
	</p>
{:else}
	{#if data.older}<p class="mt-3"><a href={address(data.older)}>Older</a></p>{/if}
	<ol class="sheet transcript mt-3" aria-label="What was said, oldest first">
		{#each data.lines as line, index (line.id)}
			{@const before = data.lines[index - 1]}
			{#if before?.errandId !== line.errandId || index === 0}<li class="begins" class:first={index === 0}>
					<b>{ERRAND_KINDS[line.errandKind].words}</b>
					<span class="quiet">{exactly(line.at)}</span>
				</li>{/if}
			<li class={['line', line.speaker]}>
				<time class="quiet" datetime={line.at.toISOString()}>{secondOf(line.at)}</time>
				<span class="who">{WHO[line.speaker]}</span>
				<span class="mono words"
					>{line.words}
					{#if line.readingId}<a href="/units/{data.unit.id}/readings/{line.readingId}">Read it</a>{/if}</span
				>
			</li>
		{/each}
	</ol>
{/if}

<style>
	.transcript {
		padding: 0.5rem 0.9rem;
	}
	.line {
		display: grid;
		grid-template-columns: 5rem 4.5rem minmax(0, 1fr);
		gap: 0.75rem;
		padding: 0.15rem 0;
		border: 0;
	}
	.begins {
		margin-top: 0.5rem;
		padding-top: 0.65rem;
		border-top: 1px solid var(--hairline);
	}
	.begins.first {
		margin: 0;
		padding: 0;
		border: 0;
	}
	.who {
		color: var(--quiet);
	}
	.limen .words {
		font-weight: 700;
	}
	.note .words {
		color: var(--brick);
	}
	.words {
		font-size: 0.93rem;
		white-space: pre-wrap;
		overflow-wrap: anywhere;
	}
	@media (max-width: 700px) {
		.line {
			grid-template-columns: minmax(0, 1fr);
			gap: 0;
		}
	}
</style>
