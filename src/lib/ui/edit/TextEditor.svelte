<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
	import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
	import { EditorState } from '@codemirror/state';
	import {
		drawSelection,
		EditorView,
		highlightActiveLine,
		highlightActiveLineGutter,
		keymap,
		lineNumbers
	} from '@codemirror/view';
	import { look } from './look';

	interface Mark {
		/** 1-based. */
		readonly line: number;
		readonly message: string;
		readonly grave: boolean;
	}

	/** A configuration text to write in; what is wrong with a line is shown at the line. */
	let {
		text = $bindable(),
		label,
		marks = [],
		readonly = false,
		onselect = () => undefined
	}: {
		text: string;
		label: string;
		marks?: readonly Mark[];
		readonly?: boolean;
		/** What is selected: from, to, and the words. */
		onselect?: (from: number, to: number, words: string) => void;
	} = $props();

	let place: HTMLElement;
	let view: EditorView | undefined = $state.raw();

	onMount(() => {
		const made = new EditorView({
			parent: place,
			state: EditorState.create({
				doc: untrack(() => text),
				extensions: [
					lineNumbers(),
					history(),
					drawSelection(),
					highlightActiveLine(),
					highlightActiveLineGutter(),
					// Tab leaves the editor: everything is reachable by keyboard
					keymap.of([...defaultKeymap, ...historyKeymap]),
					EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false', tabindex: '0' }),
					EditorState.readOnly.of(readonly),
					EditorView.updateListener.of((update) => {
						if (update.docChanged) text = update.state.doc.toString();
						if (update.selectionSet) {
							const { from, to } = update.state.selection.main;
							onselect(from, to, update.state.sliceDoc(from, to));
						}
					}),
					...look
				]
			})
		});
		view = made;
		// What is wrong at first is what one came for
		const first = untrack(() => marks.find(({ grave }) => grave)?.line);
		if (first && first <= made.state.doc.lines)
			made.dispatch({ effects: EditorView.scrollIntoView(made.state.doc.line(first).from, { y: 'center' }) });
		return () => made.destroy();
	});

	$effect(() => {
		// Given from outside: another dialect, or a draft that was loaded again
		if (view && text !== view.state.doc.toString())
			view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
	});
	$effect(() => {
		if (!view) return;
		const { state } = view;
		const diagnostics = marks.flatMap(({ line, message, grave }): Diagnostic[] => {
			if (line < 1 || line > state.doc.lines) return [];
			const { from, to } = state.doc.line(line);
			return [{ from, to, severity: grave ? 'error' : 'warning', message }];
		});
		view.dispatch(setDiagnostics(state, diagnostics));
	});
</script>

<div bind:this={place} class="editor"></div>

<style>
	.editor :global(.cm-scroller) {
		min-height: 12rem;
		max-height: 32rem;
		overflow: auto;
	}
</style>
