<script lang="ts">
	import { onMount } from 'svelte';
	import { unifiedMergeView } from '@codemirror/merge';
	import { EditorState } from '@codemirror/state';
	import { EditorView, lineNumbers } from '@codemirror/view';
	import { look } from './look';

	/** Two texts as their difference, with what is the same folded away until asked for. */
	let {
		before,
		after,
		label,
		whole = false
	}: { before: string; after: string; label: string; whole?: boolean } = $props();

	let place: HTMLElement;
	let ready = $state(false);
	onMount(() => {
		ready = true;
	});
	$effect(() => {
		if (!ready) return;
		const view = new EditorView({
			parent: place,
			state: EditorState.create({
				doc: after,
				extensions: [
					lineNumbers(),
					EditorState.readOnly.of(true),
					EditorView.editable.of(false),
					EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
					unifiedMergeView({
						original: before,
						mergeControls: false,
						...(!whole && { collapseUnchanged: { margin: 2, minSize: 4 } })
					}),
					...look
				]
			})
		});
		return () => view.destroy();
	});
</script>

<div bind:this={place} class="difference"></div>

<style>
	.difference :global(.cm-scroller) {
		max-height: 34rem;
		overflow: auto;
	}
</style>
