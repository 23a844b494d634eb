<script lang="ts" module>
	import type { HTMLAttributes, HTMLInputAttributes } from 'svelte/elements';
	import { type Snippet, getContext, untrack } from 'svelte';

	/** A choice of a list. */
	export interface Choice {
		readonly value: string;
		readonly name: string;
	}
	/** What ties a control to its label, its hint and its problem. */
	export interface ControlAttributes {
		readonly id: string;
		readonly name?: string;
		readonly 'aria-label'?: string;
		readonly 'aria-invalid'?: 'true';
		readonly 'aria-describedby'?: string;
	}
	type Kind = 'text' | 'select' | 'lines' | NonNullable<HTMLInputAttributes['type']>;
</script>

<script lang="ts">
	import { Helper, Input, Label, Select, Textarea } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { FORM, type FormState } from '../forms';

	/**
	 * One field of a form: its label, its control, a hint, and what is wrong with it. Inside a `Form` the
	 * problem comes from there, by the field's name.
	 */
	// The control may be of any kind: its events are typed so that `value` can be read off any of them
	type Control = HTMLInputElement & HTMLSelectElement & HTMLTextAreaElement;
	interface Props extends Omit<HTMLAttributes<Control>, 'children'> {
		label: string;
		name?: string;
		kind?: Kind;
		value?: unknown;
		/**
		 * What is kept at the server, in place of `value`: shown until somebody types, and not put over what
		 * they typed when the page's data is loaded again.
		 */
		stored?: unknown;
		hint?: string;
		problem?: string | null;
		/** Serial numbers, addresses, configuration. */
		mono?: boolean;
		/** The label is for those who hear the page only. */
		bare?: boolean;
		items?: readonly Choice[];
		/** The first choice of a list, which is none. */
		none?: string;
		/** The options of a list, where `items` do not say them. */
		children?: Snippet;
		class?: string;
		elementRef?: HTMLInputElement | undefined;
		// What goes on to the control
		required?: boolean;
		disabled?: boolean;
		maxlength?: number;
		minlength?: number;
		min?: string | number;
		max?: string | number;
		step?: string | number;
		id?: string;
		rows?: number;
		list?: string;
		/** Of a field for files. */
		multiple?: boolean;
		accept?: string;
		placeholder?: string;
		autocomplete?: HTMLInputAttributes['autocomplete'];
		/** A control of another kind; it gets the attributes that tie it to its label, hint and problem. */
		control?: Snippet<[ControlAttributes]>;
	}
	let {
		label,
		name,
		kind = 'text',
		value = $bindable(),
		stored,
		hint,
		problem,
		mono = false,
		bare = false,
		items,
		none,
		children,
		class: className = '',
		elementRef = $bindable(),
		control: own,
		...rest
	}: Props = $props();

	const uid = $props.id();
	const id = $derived(rest.id ?? `${name ?? 'field'}-${uid}`);
	const form = getContext<FormState | undefined>(FORM);
	const wrong = $derived(problem ?? (name ? form?.problemOf(name) : null) ?? null);
	// Of a list that nobody has chosen from, and that has no choice for none, the browser takes the first
	const chosen = $derived(
		value === undefined || value === null ? (none === undefined ? undefined : '') : String(value)
	);
	const control = $derived({
		...rest,
		id,
		name,
		'aria-label': bare ? label : undefined,
		'aria-invalid': wrong ? ('true' as const) : undefined,
		'aria-describedby': wrong ? `${id}-wrong` : hint ? `${id}-hint` : undefined
	});
	const face = $derived(mono ? 'mono' : '');

	let element: HTMLElement | undefined = $state();
	/** The page where somebody typed; another one that is made of the same parts shows its own. */
	let typedAt: string | null = null;
	const here = $derived(page.url.pathname);
	function keep(typed: unknown): void {
		typedAt = here;
		value = typed;
	}
	function showStored(): void {
		typedAt = null;
		if (stored !== undefined) value = stored;
	}
	untrack(showStored);
	// Loaded again and still the same is no change, so the derived value stands between
	const storedNow = $derived(stored);
	const around = $derived(element?.closest('form'));
	$effect.pre(() => {
		// Only what is to be written can be lost: elsewhere another value is another question
		if (storedNow !== undefined && !(typedAt === here && around?.method === 'post')) value = storedNow;
	});
	$effect(() => {
		// The browser empties the controls after this event
		const emptied = () => queueMicrotask(showStored);
		around?.addEventListener('reset', emptied);
		return () => around?.removeEventListener('reset', emptied);
	});
	untrack(() => {
		if (!name || !form) return;
		form.has(name);
		const before = form.typedBefore(name);
		if (before !== undefined) keep(before);
	});
</script>

<div class={['max-w-full', className]} bind:this={element} oninput={() => (typedAt = here)}>
	{#if !bare}<Label for={id}>{label}</Label>{/if}
	{#if own}
		{@render own(control as ControlAttributes)}
	{:else if kind === 'select'}
		<Select
			{...control as object}
			class={face}
			placeholder=""
			value={chosen}
			onchange={(event) => {
				value = event.currentTarget.value;
				rest.onchange?.(event as Parameters<NonNullable<typeof rest.onchange>>[0]);
			}}
		>
			{#if none !== undefined}<option value="">{none}</option>{/if}
			{#each items ?? [] as one (one.value)}<option value={one.value}>{one.name}</option>{/each}
			{@render children?.()}
		</Select>
	{:else if kind === 'lines'}
		<Textarea {...control as object} class="w-full {face}" bind:value={value as string} />
	{:else}
		<Input
			{...control as object}
			type={kind as 'text'}
			class={face}
			bind:value={value as string}
			bind:elementRef
		/>
	{/if}
	{#if wrong}<Helper
			id="{id}-wrong"
			role="alert"
			class="font-semibold text-[var(--brick)] dark:text-[var(--brick)]">{wrong}</Helper
		>{:else if hint}<Helper id="{id}-hint">{hint}</Helper>{/if}
</div>
