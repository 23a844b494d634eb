<script lang="ts" module>
	/** A line of a rendering with where it came from. */
	export interface Line {
		readonly text: string;
		readonly part: string | null;
		readonly sources: readonly number[];
		readonly fields: readonly string[];
	}
</script>

<script lang="ts">
	import { PointedLines } from '../config';

	/** A rendering whose every line tells where it came from. */
	let {
		lines,
		label,
		begin = null,
		parts = {},
		sourceOf = () => ''
	}: {
		lines: readonly Line[];
		label: string;
		/** The number of the line that is looked at first. */
		begin?: number | null;
		/** Where parts are written, by their names. */
		parts?: Readonly<Record<string, string>>;
		/** Where a field's value was given, in words. */
		sourceOf?: (field: string) => string;
	} = $props();
</script>

<div class="rendered">
	<PointedLines {lines} {label} {begin}>
		{#snippet told(at)}
			{@const line = lines[at]!}
			{#if line.part === null}<span>from the dialect itself, not from a part</span>{:else}
				<b
					>{#if parts[line.part]}<a href="{parts[line.part]}&line={line.sources[0] ?? 1}">{line.part}</a
						>{:else}{line.part}{/if}</b
				>
				<span>line {line.sources.join(', ')}</span>
				{#each line.fields as field (field)}
					<span
						><span class="mono">{field}</span>{#if sourceOf(field)}, {sourceOf(field)}{/if}</span
					>
				{/each}
			{/if}
		{/snippet}
	</PointedLines>
</div>
