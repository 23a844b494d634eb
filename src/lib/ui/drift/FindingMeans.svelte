<script lang="ts">
	import type { Touches } from '$core/drift';
	import { Standing } from '../marks';
	import { isGrave, TOUCH_WORDS } from './words';

	/** What a finding means, by shape and word. */
	let { touches }: { touches: Touches } = $props();
</script>

{#if isGrave(touches)}<Standing standing="stuck" word={TOUCH_WORDS[touches]} />{:else}<span class="quiet"
		>{TOUCH_WORDS[touches]}</span
	>{/if}
