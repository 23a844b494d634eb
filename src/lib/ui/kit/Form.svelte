<script lang="ts">
	import { beforeNavigate } from '$app/navigation';
	import { page } from '$app/state';
	import type { ActionResult } from '@sveltejs/kit';
	import { onDestroy, onMount, setContext, type Snippet } from 'svelte';
	import type { HTMLFormAttributes } from 'svelte/elements';
	import { SvelteSet } from 'svelte/reactivity';
	import { superForm } from 'sveltekit-superforms/client';
	import { FORM, keepingThePage, showAnswer, type FormState } from '../forms';
	import { goFirst, untilAnswered } from '../live';
	import Notice from './Notice.svelte';

	/**
	 * A form that people fill in. What is wrong is said beside its field, nothing that was typed is lost, a
	 * second click sends nothing twice, and leaving with something unsaved asks first. It works from its HTML
	 * alone too.
	 */
	interface Props extends Omit<HTMLFormAttributes, 'children'> {
		action?: string;
		/** It stays as it was typed after success, because it shows what is so now. */
		stays?: boolean;
		/** Leaving it half filled in loses nothing that matters. */
		casual?: boolean;
		onanswer?: (result: ActionResult) => void | Promise<void>;
		children: Snippet<[{ readonly busy: boolean; readonly changed: boolean }]>;
	}
	let {
		action,
		stays = false,
		casual = false,
		onanswer,
		oninput,
		onchange,
		children,
		...rest
	}: Props = $props();

	let element: HTMLFormElement | undefined = $state();
	let submitter: HTMLElement | null = null;
	let answered = (): void => undefined;
	onDestroy(() => answered());
	const here = new SvelteSet<string>();
	/** The problem that no field shows. */
	let problem = $state('');

	const id = $props.id();
	const { form, errors, tainted, submitting, enhance, isTainted } = superForm<Record<string, unknown>>(
		{},
		{
			id,
			resetForm: false,
			invalidateAll: false,
			applyAction: false,
			multipleSubmits: 'prevent',
			validators: false,
			// The library would go there anew, by a way of its own that moves the page and takes the focus
			taintedMessage: null,
			onSubmit: ({ submitter: by }) => {
				submitter = by;
				goFirst();
				answered();
				answered = untilAnswered();
				problem = '';
				errors.clear();
			},
			onError: () => undefined,
			onResult: async (event) => {
				event.cancel();
				try {
					const result = keepingThePage(event.result, () => element?.requestSubmit(submitter));
					// The question who it is belongs to the page; a problem is said here, beside its field
					if (result.type === 'failure' && !result.data?.confirm) tell(result.data);
					else {
						form.set({}, { taint: 'untaint-all' });
						await showAnswer(result, element!, { reset: !stays });
					}
					if (result.type === 'success') form.set(typed(), { taint: 'untaint-all' });
					await onanswer?.(result);
				} finally {
					answered();
				}
			}
		}
	);
	beforeNavigate((navigation) => {
		if (casual || $submitting || !isTainted($tainted)) return;
		// The page itself with another choice in its address is not left; of one that is closed the browser asks
		if (navigation.to?.url.pathname === location.pathname) return;
		if (navigation.type === 'leave' || !confirm('What you typed here is not saved. Leave it?'))
			navigation.cancel();
	});
	const typed = (): Record<string, unknown> => Object.fromEntries(new FormData(element));
	onMount(() => form.set(typed(), { taint: 'untaint-all' }));

	function tell(data: Record<string, unknown> | undefined): void {
		const problems = (data?.problems ?? {}) as Record<string, string>;
		errors.set(Object.fromEntries(Object.entries(problems).map(([name, words]) => [name, [words]])));
		problem = Object.keys(problems).some((name) => here.has(name)) ? '' : String(data?.problem ?? '');
		const first = Object.keys(problems).find((name) => here.has(name));
		const field = first ? element?.elements.namedItem(first) : null;
		if (field instanceof HTMLElement) field.focus();
	}
	setContext<FormState>(FORM, {
		has: (name) => void here.add(name),
		problemOf: (name) => ($errors[name] as string[] | undefined)?.[0] ?? null,
		typedBefore: (name) =>
			page.form?.typedInto === action ? (page.form?.typed?.[name] as string | undefined) : undefined
	});
</script>

<form
	method="POST"
	{action}
	{...rest}
	bind:this={element}
	use:enhance
	oninput={(event) => {
		form.set(typed());
		oninput?.(event);
	}}
	onchange={(event) => {
		form.set(typed());
		onchange?.(event);
	}}
	aria-busy={$submitting ? 'true' : undefined}
>
	{@render children({ busy: $submitting, changed: isTainted($tainted) })}
	{#if problem}<Notice kind="wrong">{problem}</Notice>{/if}
</form>
