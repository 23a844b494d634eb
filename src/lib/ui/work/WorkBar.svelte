<script lang="ts">
	import CloseOutline from 'flowbite-svelte-icons/CloseOutline.svelte';
	import type { Progress as HowFar } from '$core/long-work';
	import { act } from '../forms';
	import { refreshOn } from '../live';
	import Progress from './Progress.svelte';

	/** The long work that somebody began, wherever they go, until they put it away. */
	interface Work extends HowFar {
		readonly id: string;
		readonly title: string;
		readonly wantsCancel: boolean;
	}
	let { works }: { works: readonly Work[] } = $props();
	const moving = $derived(works.some(({ state }) => state === 'under way'));
	$effect(() => {
		if (moving) return refreshOn(['work'], { key: 'limen:work' });
	});
</script>

{#if works.length > 0}
	<ul class="works" aria-label="Your long work">
		{#each works as work (work.id)}
			<li data-work={work.state}>
				<a href="/work/{work.id}" class="font-semibold">{work.title}</a>
				<span role="status"><Progress {work} /></span>
				{#if work.state === 'under way'}
					{#if work.wantsCancel}<span class="quiet">stops after this one</span>
					{:else}<form method="POST" action="/work/{work.id}?/cancel" use:act>
							<button type="submit" class="link">Cancel</button>
						</form>{/if}
				{:else}<form method="POST" action="/work/{work.id}?/away" use:act>
						<button type="submit" class="icon" aria-label="Put {work.title} away"
							><CloseOutline class="h-4 w-4" /></button
						>
					</form>{/if}
			</li>
		{/each}
	</ul>
{/if}

<style>
	.works {
		display: flex;
		flex-wrap: wrap;
		column-gap: 2.5rem;
		border-bottom: 1px solid var(--hairline);
		background: var(--sheet);
		padding: 0.25rem 1.25rem;
	}
	li {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.25rem 1rem;
		min-height: 2rem;
	}
	.link {
		color: var(--pine);
		text-decoration: underline;
	}
	.icon {
		display: inline-flex;
		padding: 0.35rem;
	}
</style>
