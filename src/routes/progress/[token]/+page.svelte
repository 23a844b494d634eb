<script lang="ts">
	import { onMount } from 'svelte';
	import { Questions, Track } from '$ui/arrivals';
	import { Standing } from '$ui/marks';

	let { data } = $props();
	let progress = $derived(data.progress);
	let cutOff = $state(false);
	/** Often enough for somebody who watches a light. */
	const EVERY_MS = 4_000;
	onMount(() => {
		const timer = setInterval(async () => {
			if (document.hidden) return;
			const answer = await fetch(`/progress/${data.token}/now`).catch(() => null);
			cutOff = answer === null || answer.status >= 500;
			if (answer?.status === 404) location.reload();
			if (answer?.ok) progress = await answer.json();
		}, EVERY_MS);
		return () => clearInterval(timer);
	});
	const done = $derived(progress.positions.filter(({ standing }) => standing === 'through').length);
	const markOf = ({ step, standing }: (typeof progress.positions)[0]) =>
		step === null ? 'open' : standing === 'through' ? 'online' : standing === 'cancelled' ? 'open' : standing;
</script>

<svelte:head><title>{progress.siteName}</title></svelte:head>
<p class="quiet">{progress.customerName}</p>
<h1>{progress.siteName}</h1>
<p class="mt-2 text-lg" aria-live="polite">
	{#if progress.positions.length === 0}Nothing is planned here yet.
	{:else if done === progress.positions.length}<b>All is done. Thank you!</b>
	{:else}<b>{done} of {progress.positions.length}</b> {done === 1 ? 'is' : 'are'} done.{/if}
	{progress.expected}
</p>
{#if cutOff}<p class="mt-2 font-semibold text-[var(--amber)]" role="status">
		No connection just now. Trying again by itself.
	</p>{/if}
<ul class="mt-4" aria-label="Boxes">
	{#each progress.positions as one (one.name)}
		<li class="box" class:yours={one.wantsYou} data-box={one.name}>
			<p class="flex items-baseline justify-between gap-3">
				<b>{one.roleName[0]!.toUpperCase()}{one.roleName.slice(1)}, {one.name}</b>
				<Standing standing={markOf(one)} word={one.short} />
			</p>
			<p class="mt-1">{one.words}</p>
			{#if one.diagnosis && (one.diagnosis.question || one.diagnosis.answered.length > 0)}
				<details class="mt-2" open={one.diagnosis.answered.length > 0}>
					<summary>It does not do what it should?</summary>
					<div class="mt-2">
						<Questions diagnosis={one.diagnosis} action="?/answer" fields={{ box: one.name }} plain />
					</div>
				</details>
			{/if}
			{#if one.step}<div class="mt-2"><Track step={one.step} standing={one.standing} /></div>{/if}
		</li>
	{/each}
</ul>
<p class="quiet mt-6">{progress.help} This page keeps up by itself.</p>

<style>
	.box {
		padding: 0.8rem 0 0.9rem;
		border-top: 1px solid var(--hairline);
	}
	.yours {
		border-left: 4px solid var(--marigold);
		padding-left: 0.8rem;
	}
</style>
