<script lang="ts">
	import type { Snippet } from 'svelte';
	import { Button, Dropdown, DropdownGroup, type ButtonProps } from 'flowbite-svelte';
	import ChevronDownOutline from 'flowbite-svelte-icons/ChevronDownOutline.svelte';
	import { afterNavigate } from '$app/navigation';

	/**
	 * A button that opens a menu. It closes on Escape, on a click outside, on navigation, and once something in
	 * it was done; the focus goes back to the button.
	 */
	interface Props {
		label: string;
		/** What the button shows instead of its label. */
		face?: Snippet;
		color?: ButtonProps['color'];
		placement?: 'bottom-start' | 'bottom-end' | 'top-end';
		class?: string;
		children: Snippet;
	}
	let {
		label,
		face,
		color = 'alternative',
		placement = 'bottom-end',
		class: className = '',
		children
	}: Props = $props();

	let isOpen = $state(false);
	let holder: HTMLElement | undefined = $state();
	afterNavigate(() => (isOpen = false));

	/** The library opens a menu as soon as its button has the focus; ours waits until somebody asks for it. */
	function onlyOnDemand(node: HTMLElement) {
		const still = (event: Event) => {
			if (event.target instanceof HTMLButtonElement && event.target.parentElement === node)
				event.stopPropagation();
		};
		node.addEventListener('focusin', still, true);
		node.addEventListener('focusout', still, true);
	}
	/** A way that leads nowhere else, as a download, closes the menu as well. */
	function closeAfter(node: HTMLElement) {
		node.addEventListener('click', ({ target }) => {
			if (target instanceof Element && target.closest('ul a')) isOpen = false;
		});
	}
	const button = () => holder?.querySelector('button');
	function keys(event: KeyboardEvent): void {
		const items = [...(holder?.querySelectorAll<HTMLElement>('ul a, ul button, ul input') ?? [])];
		if (event.key === 'Escape' && isOpen) {
			event.stopPropagation();
			isOpen = false;
			button()?.focus();
		} else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
			if (event.target instanceof HTMLInputElement) return;
			event.preventDefault();
			event.stopPropagation();
			if (!isOpen) {
				isOpen = true;
				requestAnimationFrame(() => holder?.querySelector<HTMLElement>('ul a, ul button, ul input')?.focus());
				return;
			}
			const at = items.indexOf(document.activeElement as HTMLElement);
			const next = at + (event.key === 'ArrowDown' ? 1 : -1);
			items[(next + items.length) % items.length]?.focus();
		}
	}
	function left({ relatedTarget }: FocusEvent): void {
		if (relatedTarget instanceof Node && !holder?.contains(relatedTarget)) isOpen = false;
	}
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (the keys of what is inside) -->
<span
	class="inline-block"
	bind:this={holder}
	{@attach onlyOnDemand}
	{@attach closeAfter}
	onkeydown={keys}
	onfocusout={left}
>
	<Button
		type="button"
		size="sm"
		{color}
		class={className}
		aria-haspopup="true"
		aria-expanded={isOpen}
		aria-label={face ? label : undefined}
		onclick={(event: MouseEvent) => {
			// A mouse has opened it already; this is the keyboard
			if (event.detail === 0) isOpen = !isOpen;
		}}
		>{#if face}{@render face()}{:else}{label}<ChevronDownOutline class="ms-1 h-4 w-4" />{/if}</Button
	><Dropdown bind:isOpen {placement} role="dialog" aria-label={label} triggerDelay={0}
		><DropdownGroup onsubmit={() => (isOpen = false)}>{@render children()}</DropdownGroup></Dropdown
	>
</span>
