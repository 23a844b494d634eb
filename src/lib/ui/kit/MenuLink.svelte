<script lang="ts">
	import type { Snippet } from 'svelte';
	import type { HTMLAnchorAttributes } from 'svelte/elements';

	/** A way of a menu. */
	let { children, ...rest }: { children: Snippet } & HTMLAnchorAttributes = $props();
</script>

<li><a class="menu-item" {...rest}>{@render children()}</a></li>
