<script lang="ts">
	import { counted } from '$core/text';
	import { Standing, When } from '../marks';

	/** How a site's proof stands, in a line that leads to it. */
	interface Props {
		siteId: string;
		proof: {
			readonly state: 'held' | 'failed' | null;
			readonly since: Date | null;
			readonly at: Date | null;
			readonly isOpen: boolean;
			readonly checks: number;
			readonly held: number;
		};
	}
	let { siteId, proof }: Props = $props();
</script>

<a href="/sites/{siteId}/proof" class="no-underline">
	{#if proof.isOpen}
		<Standing standing="moving" word="being proven" />
		<span class="quiet">{proof.held} of {counted(proof.checks, 'check')} so far</span>
	{:else if proof.state === 'held'}
		<Standing standing="through" word="proven" />
		<span class="quiet">{counted(proof.checks, 'check')}, last <When at={proof.at!} /></span>
	{:else if proof.state === 'failed'}
		<Standing standing="stuck" word="does not hold" />
		<span class="quiet">since <When at={proof.since!} /></span>
	{:else}
		<Standing standing="open" word="not yet proven" />
	{/if}
</a>
