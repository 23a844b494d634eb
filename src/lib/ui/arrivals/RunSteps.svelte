<script lang="ts">
	import type { RunStepTime } from '$core/watch';
	import { StepCurve } from '../charts';
	import { lasting } from '../marks';

	/** How long the steps of a run took against what is normal, and where the last of them stands among its like. */
	let { steps, href }: { steps: readonly RunStepTime[]; href: string } = $props();
	const last = $derived(steps.at(-1));
</script>

{#if last}
	<h2 class="mt-5">How long its steps took</h2>
	<table class="mt-2">
		<thead><tr><th>Step</th><th>It took</th><th>Half take</th><th>Late after</th></tr></thead>
		<tbody>
			{#each steps as one, index (index)}
				<tr>
					<td>{one.step}</td>
					<td class:late={one.seconds > one.late}
						>{one.isOpen ? 'so far ' : ''}{lasting(one.seconds)}{one.hasEnded || one.isOpen
							? ''
							: ', broken off'}</td
					>
					<td>{lasting(one.median)}</td>
					<td>{lasting(one.late)}</td>
				</tr>
			{/each}
		</tbody>
	</table>
	<div class="mt-3">
		<StepCurve
			title="Is that normal for {last.step}?"
			curve={last.curve}
			median={last.median}
			late={last.late}
			stalled={last.stalled}
			lasted={last.seconds}
		/>
	</div>
	<p class="quiet">
		Of {last.own + last.borrowed} runs{#if last.borrowed > 0}, {last.borrowed} of them of units like it{/if}.
		<a {href}>What is normal for its model</a>
	</p>
{/if}

<style>
	table {
		width: 100%;
	}
	th {
		text-align: left;
		font-weight: 600;
		color: var(--quiet);
	}
	td,
	th {
		padding: 0.15rem 0.8rem 0.15rem 0;
	}
	.late {
		color: var(--amber);
		font-weight: 600;
	}
</style>
