<script lang="ts">
	import type { Finding } from '$core/drift';

	/** One difference: where it is, what it is, what it should be. */
	let {
		finding,
		brief = false
	}: {
		finding: Pick<Finding, 'kind' | 'path' | 'should' | 'runs' | 'after'>;
		/** Only the first lines of long ones. */
		brief?: boolean;
	} = $props();
	const MOST_LINES = 6;
	const shown = (text: string) => {
		const lines = text.split('\n');
		return brief && lines.length > MOST_LINES
			? `${lines.slice(0, MOST_LINES).join('\n')}\n… ${lines.length - MOST_LINES} lines more`
			: text;
	};
</script>

{#if finding.path.length > 0}<p class="mono quiet text-sm break-words">in {finding.path.join(' › ')}</p>{/if}
{#if finding.kind === 'unsaved'}<p>
		What it runs was not saved: after a loss of power it starts with something else.
	</p>{:else}<dl>
		{#if finding.kind === 'order'}
			<dt>stands elsewhere</dt>
			<dd class="mono">{shown(finding.runs ?? '')}</dd>
			<dt>should come</dt>
			<dd>
				{#if finding.after === null}first{:else}after <span class="mono">{finding.after}</span>{/if}
			</dd>
		{:else}
			<dt>it is</dt>
			{#if finding.runs === null}<dd class="quiet">not there</dd>{:else}<dd class="mono">
					{shown(finding.runs)}
				</dd>{/if}
			<dt>it should be</dt>
			{#if finding.should === null}<dd class="quiet">not there</dd>{:else}<dd class="mono">
					{shown(finding.should)}
				</dd>{/if}
			{#if finding.kind === 'changed' && finding.should === finding.runs}<dt></dt>
				<dd class="quiet">another secret than planned</dd>{/if}
		{/if}
	</dl>{/if}

<style>
	dl {
		display: grid;
		grid-template-columns: max-content minmax(0, 1fr);
		gap: 0.1rem 0.8rem;
		margin: 0;
	}
	dt {
		color: var(--quiet);
		font-size: 0.9rem;
	}
	dd {
		margin: 0;
		white-space: pre-wrap;
		overflow-wrap: anywhere;
	}
	dd.mono {
		font-size: 0.9rem;
	}
</style>
