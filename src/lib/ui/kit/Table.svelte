<!-- A table. Where it is wider than its place and has nothing in it to step to, it is scrolled by the keyboard as one. -->
<script lang="ts">
	import { Table, type TableProps } from 'flowbite-svelte';

	/** `label`: what it shows, where no heading says so. */
	const { label, children, ...rest }: TableProps & { readonly label?: string } = $props();

	const TO_STEP_TO = 'a[href], button, input, select, textarea, summary, [tabindex]';
	function scrolledByKeys(table: HTMLElement) {
		const around = table.parentElement!;
		const look = () => {
			const isStop = around.scrollWidth > around.clientWidth && !table.querySelector(TO_STEP_TO);
			if (isStop) around.tabIndex = 0;
			else around.removeAttribute('tabindex');
			if (label && isStop) around.role = 'region';
			else around.removeAttribute('role');
			around.ariaLabel = (isStop && label) || null;
		};
		const sizes = new ResizeObserver(look);
		sizes.observe(table);
		sizes.observe(around);
		return () => sizes.disconnect();
	}
</script>

<Table {...rest} aria-label={label} {@attach scrolledByKeys}>{@render children?.()}</Table>
