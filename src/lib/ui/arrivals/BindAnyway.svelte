<script lang="ts">
	import { FormField } from '$ui/kit';
	/** Inside a form that binds: asks why, when binding was refused to somebody who may do it with a reason. */
	let { form }: { form: { wantsReason?: unknown } | null | undefined } = $props();
</script>

{#if form?.wantsReason === true}<FormField
		label="Why it is bound all the same"
		class="mt-3 block basis-full"
		name="reason"
		required
		maxlength={500}
		autocomplete="off"
	/>{/if}
