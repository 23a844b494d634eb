<script lang="ts">
	import type { Path } from '$core/reachability';

	/** A path by its shape: straight, bent over a hub, a ring for another way, a diamond where there is none. */
	interface Props {
		path: Path | null;
		/** A word beside it says the same already. */
		isSilent?: boolean;
	}
	let { path, isSilent = true }: Props = $props();
</script>

<svg
	viewBox="0 0 16 16"
	width="14"
	height="14"
	class="inline-block shrink-0 align-[-2px] {path ?? 'unseen'}"
	aria-hidden={isSilent}
>
	{#if path === 'direct'}<path d="M2 8H14" />
	{:else if path === 'hub'}<path d="M2 12L8 4L14 12" />
	{:else if path === 'other'}<circle cx="8" cy="8" r="4.5" />
	{:else if path === 'none'}<path d="M8 2L14 8L8 14L2 8Z" class="solid" />
	{:else if path === 'unread'}<path d="M8 3L13 8L8 13L3 8Z" />
	{:else}<circle cx="8" cy="8" r="1.5" class="solid" />{/if}
</svg>

<style>
	svg {
		fill: none;
		stroke: var(--quiet);
		stroke-width: 2;
	}
	.direct {
		stroke: var(--pine);
		stroke-width: 3.5;
	}
	.none,
	.unread {
		stroke: var(--brick);
	}
	.solid {
		fill: var(--quiet);
		stroke: none;
	}
	.none .solid {
		fill: var(--brick);
	}
</style>
