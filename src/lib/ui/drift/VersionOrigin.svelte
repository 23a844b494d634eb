<script lang="ts">
	import type { Origin } from '$lib/server/archive';
	import { When } from '../marks';
	import { HOW_WORDS } from './words';

	/** Since when a line has been there, who brought it, why, and whether its site held when it was proved next. */
	let { origin, oldest }: { origin: Origin; oldest: number } = $props();
</script>

<b>since version {origin.number}</b>
<span
	>{#if origin.number === oldest && origin.number > 1}or before,
	{/if}<When at={origin.at} />, {HOW_WORDS[origin.how]}{origin.byWhom ? ` by ${origin.byWhom}` : ''}</span
>
{#if origin.reason}<span>because: {origin.reason}</span>{/if}
<span
	>{#if origin.proof}the site was <a href="/sites/{origin.proof.siteId}/proof">proved</a>
		<When at={origin.proof.at} />: it {origin.proof.held ? 'held' : 'did not hold'}{:else}the site was not
		proved since{/if}</span
>
