<script lang="ts">
	import { Modal, type ModalProps } from 'flowbite-svelte';

	/**
	 * A dialog over its page. It is gone the moment it is closed or its page is left: one that fades out lies over
	 * the next page for a while, which takes neither click nor key until then, and loses what is typed into it.
	 */
	let { open = $bindable(false), children, ...rest }: ModalProps = $props();
</script>

<Modal bind:open size="sm" {...rest} transitionParams={{ duration: 0 }}>{@render children?.()}</Modal>
