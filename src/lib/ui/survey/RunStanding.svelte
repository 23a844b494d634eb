<script lang="ts">
	import { Standing } from '../marks';

	/** How a run of a survey stands. */
	let {
		run
	}: {
		run: {
			readonly state: 'under way' | 'done' | 'cancelled' | 'out of time';
			readonly seen: number;
			readonly asked: number;
		};
	} = $props();
</script>

{#if run.state === 'under way'}<Standing standing="moving" word="{run.asked} of {run.seen} addresses asked" />
{:else if run.state === 'done'}<Standing standing="through" word="done" />
{:else if run.state === 'cancelled'}<Standing standing="cancelled" word="stopped" />
{:else}<Standing standing="late" word="out of time" />{/if}
