<script lang="ts">
	import { Notice, PageHead } from '$ui/kit';

	let { data } = $props();
</script>

<PageHead title={data.refused ? 'It was not confirmed' : 'It is you'} />
{#if data.refused}<Notice kind="wrong">{data.refused}</Notice>
{:else}<p class="mt-3">Close this page and go on where you were asked.</p>{/if}
